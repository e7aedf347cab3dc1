"""Truing against worked tables of others."""

import numpy as np
import pytest

from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.outline import Contour, Outline, keyed
from silhueta.core.geometry.path import circle_loop
from silhueta.core.relations import Ref, Relation
from silhueta.core.truing.solve import solve


def test_five_holes_lie_where_the_handbook_puts_them():
    # Machinery's Handbook, "Hole coordinate dimension factors", type A, five holes (from memory),
    # of the circle's diameter, x and y from the square round it, the first hole on top
    factors = np.array(
        [
            [0.50000, 0.00000],
            [0.02447, 0.34549],
            [0.20611, 0.90451],
            [0.79389, 0.90451],
            [0.97553, 0.34549],
        ]
    )
    table = 100 * factors * [1, -1]
    rough = table + np.random.default_rng(8).normal(0, 0.15, table.shape)
    made = Outline(tuple(Contour(circle_loop(centre, 4)) for centre in rough))
    made, _ = keyed(made, 0)
    refs = tuple(Ref(key) for key in range(1, 6))
    got = solve(made, [Relation("evenly on a circle", refs)]).outline
    centres = np.array([full_circle(c.path)[0] for c in got.contours])
    # the circle may lie and turn as the holes tell: laid over the table (Procrustes)
    a, b = centres - centres.mean(axis=0), table - table.mean(axis=0)
    u, _, v = np.linalg.svd(a.T @ b)
    turned = a @ u @ v * (np.linalg.norm(b) / np.linalg.norm(a))
    assert turned == pytest.approx(b, abs=2e-3)  # of five digits, on 100 mm
    assert np.linalg.norm(a) == pytest.approx(np.linalg.norm(b), rel=3e-3)
