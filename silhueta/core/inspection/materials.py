"""How heavy what is cut is: densities of the materials that shops have most of."""

from __future__ import annotations

# g/cm³, as handbooks give them for the plain grade (from memory; a grade may be 3 % off, wood 20 %)
DENSITIES: dict[str, float] = {
    "steel": 7.85,
    "stainless steel": 7.9,
    "aluminium": 2.7,
    "brass": 8.5,
    "plywood": 0.65,
    "hardboard": 0.9,
    "acrylic": 1.19,
    "cork": 0.24,
    "rubber": 1.2,
    "vinyl": 1.35,
}


def mass(area: float, thickness: float | None, material: str | None) -> float | None:
    """Return what an area, mm², weighs in grams; None where thickness or material are not known."""
    if material is None or not thickness or material not in DENSITIES:
        return None
    return area * thickness * DENSITIES[material] / 1000
