"""The circle through points that is nearest to them."""

from __future__ import annotations

import numpy as np

from silhueta.core.compiled import compiled
from silhueta.core.fitting.primitives import SUMS, add_point, circle_fit
from silhueta.core.geometry.path import Floats


@compiled
def fit_circle(points: Floats) -> tuple[float, float, float, float, float]:
    """Return (x, y, radius, squared residuals, largest residual) of the geometric circle fit.

    Taubin's fit, then Gauss-Newton on the distances, as in W. Gander, G. H. Golub and R. Strebel,
    "Least-squares fitting of circles and ellipses", BIT 34, 1994, 558-578. Radius 0: none found.
    """
    n = len(points)
    sums = np.zeros(SUMS)
    ox, oy = points[0]
    for i in range(n):
        add_point(sums, points[i, 0] - ox, points[i, 1] - oy)
    x, y, radius, _ = circle_fit(sums)
    if radius <= 0.0:
        return 0.0, 0.0, 0.0, np.inf, np.inf
    x, y = x + ox, y + oy
    for _ in range(50):
        normal, right = np.zeros((3, 3)), np.zeros(3)
        for i in range(n):
            dx, dy = points[i, 0] - x, points[i, 1] - y
            far = max(np.sqrt(dx * dx + dy * dy), 1e-12)
            row = np.array([dx / far, dy / far, 1.0])
            for a in range(3):
                right[a] += row[a] * (far - radius)
                for b in range(3):
                    normal[a, b] += row[a] * row[b]
        for a in range(3):
            normal[a, a] += 1e-12 * n
        step = np.linalg.solve(normal, right)
        x, y, radius = x + step[0], y + step[1], radius + step[2]
        if np.abs(step).max() < 1e-9 * max(radius, 1.0):
            break
    square, worst = 0.0, 0.0
    for i in range(n):
        dx, dy = points[i, 0] - x, points[i, 1] - y
        off = abs(np.sqrt(dx * dx + dy * dy) - radius)
        square += off * off
        worst = max(worst, off)
    return x, y, radius, square, worst
