"""Making outlines exact, for all commands that offer it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any, TypeVar

import click

from silhueta.cli.plan import typed_options
from silhueta.cli.progress import say
from silhueta.core.wording import counted
from silhueta.core.work import Work

if TYPE_CHECKING:
    from silhueta.core.cutting.drawing import Drawing
    from silhueta.core.geometry.outline import Outline
    from silhueta.core.relations import Relation
    from silhueta.core.truing.apply import Mode, Trued
    from silhueta.core.truing.features import Noise
    from silhueta.core.truing.sizes import Table

Command = TypeVar("Command", bound=Callable[..., object])


def true_options(default: str) -> Callable[[Command], Command]:
    """Give a command the options of truing; `default` of how much is made exact."""
    options = (
        click.option(
            "--true",
            "true_",
            type=click.Choice(["none", "safe", "all"]),
            default=default,
            show_default=True,
            help="Make exact what is meant: safe, what is sure and moves nothing beyond its "
            "uncertainty; all, also worn edges, level, near sizes, patterns.",
        ),
        click.option(
            "--hole-sizes",
            type=click.Choice(["mm", "drill", "inch"]),
            default="mm",
            show_default=True,
            help="Sizes that holes are held against: whole and half mm and metric drills; drills "
            "and clearance holes; inch fractions and number drills.",
        ),
        click.option(
            "--level",
            type=click.Choice(["auto", "none"]),
            default="none",
            show_default=True,
            help="auto: turn the part so that its longest straight edge is level.",
        ),
    )

    def given(command: Command) -> Command:
        made: Any = command
        for option in reversed(options):
            made = option(made)
        return made  # type: ignore[no-any-return]

    return given


def check_table(mode: Mode) -> None:
    """Raise UsageError for sizes of holes that were typed where none is made exact."""
    if mode == "none" and "hole_sizes" in typed_options():
        raise click.UsageError("--hole-sizes does nothing with --true none; give safe or all")


def made_true(outline: Outline, noise: Noise, asked: tuple[Mode, Table, str], work: Work) -> Trued:
    """Return the outline made exact as it was asked for, and say what was left."""
    from silhueta.core.truing.apply import level_edge, trued

    mode, table, level = asked
    if level == "auto" and level_edge(outline, noise) is None:
        say("note: there is no straight edge long enough to level by; nothing was turned")
    done = trued(outline, noise, mode, table, level == "auto", work)
    if done.left:
        offer, why = done.left[0]
        more = f" ({len(done.left) - 1} more)" if len(done.left) > 1 else ""
        x, y = offer.place
        say(
            f"note: {counted(len(done.left), 'truing offer')} could not be taken along; at "
            f"{x:.1f}, {y:.1f} mm: {offer.text}, but {why}{more}"
        )
    return done


def true_report(done: Trued, noise: Noise, drawing: Drawing) -> dict[str, object]:
    """Return the report's part on what was made exact: features, relations, offers taken.

    Places are in the file's own frame.
    """
    from silhueta.core.truing.features import features
    from silhueta.core.truing.solve import residuals

    found = features(done.outline, noise)
    place = {(f.ref.key, f.ref.segment): i for i, f in enumerate(found)}
    # arcs that have become one circle are that circle
    whole = {f.ref.key: i for i, f in enumerate(found) if f.kind == "circle"}
    exact = sized(done.relations)
    return {
        "features": [
            {
                "kind": f.kind,
                "loop": f.contour,
                "at_mm": [round(f.place[k] + drawing.shift[k], 6) for k in range(2)],
                "size_mm": round(f.size, 9),
                "sigma_mm": round(f.sigma, 6),
                "exact": (f.ref.key, f.ref.segment) in exact,
            }
            for f in found
        ],
        "relations": [
            {
                "kind": relation.kind,
                "features": [
                    place.get((ref.key, ref.segment), whole.get(ref.key)) for ref in relation.refs
                ],
                "residual_mm": float(f"{off:.3g}"),
            }
            for relation, off in zip(
                done.relations, residuals(done.outline, list(done.relations)), strict=True
            )
        ],
        "offers_taken": done.taken,
    }


def hole_sizes(outline: Outline, noise: Noise, drawing: Drawing) -> list[dict[str, object]]:
    """Return the round holes of an outline, in the file's frame: diameter and its uncertainty."""
    from silhueta.core.geometry.measure import signed_area
    from silhueta.core.geometry.path import Loop
    from silhueta.core.truing.features import features

    found = []
    for f in features(outline, noise):
        path = outline.contours[f.contour].path
        if f.kind == "circle" and isinstance(path, Loop) and signed_area(path) < 0:
            at = [round(f.centre[k] + drawing.shift[k], 6) for k in range(2)]
            hole = {"at_mm": at, "diameter_mm": round(f.size, 9), "sigma_mm": round(f.sigma, 6)}
            found.append(hole)
    return found


def sized(relations: Sequence[Relation]) -> set[tuple[int, int]]:
    """Return the segments whose size is held, by themselves or as another's."""
    named = [(r.kind, {(ref.key, ref.segment) for ref in r.refs}) for r in relations]
    found = {one for kind, refs in named if kind in ("radius", "length") for one in refs}
    equal = [refs for kind, refs in named if kind in ("equal radius", "equal length")]
    while any(refs & found and refs - found for refs in equal):
        found.update(*(refs for refs in equal if refs & found))
    return found
