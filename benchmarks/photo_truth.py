"""What is true of rendered photos, and how far an outline is off: nothing of the program in it.

The camera is OpenCV's, arcs are sampled by ezdxf, outlines laid on the truth by SciPy.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import NamedTuple

import cv2
import numpy as np
from ezdxf.math import ConstructionArc, Vec2, bulge_to_arc
from numpy.typing import NDArray
from scipy.optimize import least_squares

from benchmarks.photo import Part, Scene, render

A4 = (210.0, 297.0)  # mm, ISO 216
Grey = NDArray[np.uint8]


class Errors(NamedTuple):
    """Errors in mm: overall (u, v), of the worst hole's diameter, mean distance."""

    overall: tuple[float, float]
    hole: float
    mean: float


def stored(scene: Scene, quality: int) -> Grey:
    """Return the rendered photo, (H, W), after a JPEG's loss."""
    made = cv2.imencode(".jpg", render(scene), [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
    return np.asarray(cv2.imdecode(made, cv2.IMREAD_GRAYSCALE))


def errors_of(
    loops: Sequence[tuple[NDArray[np.float64], NDArray[np.float64]]], true: Part
) -> Errors:
    """Return how far closed chains of nodes (N, 2), mm, and bulges (N,) are from a part."""
    part = replace(true, x=0.0, y=0.0, turn=0.0)
    sampled = [_sampled(nodes, bulges) for nodes, bulges in loops]
    longest = max(sampled, key=lambda p: float(np.ptp(p, axis=0).max()))
    points = _laid_on(np.vstack(sampled), longest, part)
    u, v = np.ptp(points, axis=0)
    holes = []
    for x, y, diameter in part.holes:
        away = np.hypot(points[:, 0] - x, points[:, 1] - y)
        rim = away < diameter / 2 + 2.0
        holes.append(2 * away[rim].mean() - diameter if rim.sum() > 8 else np.inf)
    return Errors(
        (float(u - part.size[0]), float(v - part.size[1])),
        float(max(holes, key=abs)),
        float(np.abs(part.distance(points)).mean()),
    )


def ends_of(scene: Scene) -> NDArray[np.float64]:
    """Return the middles of a part's two short sides as the scene's camera sees them, (2, 2) px."""
    assert scene.part is not None
    way = np.array([np.cos(scene.part.turn), np.sin(scene.part.turn)])
    middle = np.array([scene.part.x, scene.part.y])
    ends = middle + 0.5 * scene.part.size[0] * np.array([[-1.0], [1.0]]) * way
    return scene.plane().to_px(ends, scene.part.thickness)


def _sampled(nodes: NDArray[np.float64], bulges: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return points (N, 2) along a closed chain of lines and arcs, mm; arcs by ezdxf, exact."""
    points: list[tuple[float, float]] = []
    for start, end, bulge in zip(nodes, np.roll(nodes, -1, 0), bulges, strict=True):
        own = [(float(start[0]), float(start[1]))]
        if bulge:
            centre, begin, finish, radius = bulge_to_arc(Vec2(start), Vec2(end), float(bulge))
            arc = ConstructionArc(centre, radius, np.degrees(begin), np.degrees(finish))
            along = [(point.x, point.y) for point in arc.flattening(0.005)]
            own = along[:-1] if bulge > 0 else along[:0:-1]  # ezdxf's arcs turn left
        points.extend(own)
    return np.array(points)


def _laid_on(points: np.ndarray, outer: np.ndarray, part: Part) -> np.ndarray:
    """Return `points` (N, 2), mm, moved and turned so that they lie on the part best."""
    middle = (outer.min(0) + outer.max(0)) / 2
    spread = np.linalg.svd(outer - outer.mean(0), full_matrices=False)[2][0]
    start = -np.arctan2(spread[1], spread[0])

    def moved(values: np.ndarray) -> np.ndarray:
        c, s = np.cos(values[2]), np.sin(values[2])
        return (points - middle) @ np.array([[c, s], [-s, c]]) + values[:2]

    best = None
    for angle in (start, start + np.pi):
        got = least_squares(
            lambda v: part.distance(moved(v)), [0, 0, angle], loss="soft_l1", f_scale=0.2
        )
        if best is None or got.cost < best.cost:
            best = got
    assert best is not None
    return moved(best.x)


def random_scene(number: int, pixels: tuple[int, int] = (2000, 1500)) -> Scene:
    """Return one of the random scenes: light up to 2:1, shadows, wood or steel, a part anywhere."""
    rng = np.random.default_rng(number)
    sheet = A4 if rng.random() < 0.4 else (A4[1], A4[0])
    part = Part(
        sheet[0] / 2 + rng.uniform(-45, 45),
        sheet[1] / 2 + rng.uniform(-45, 45),
        rng.uniform(0, np.pi),
        size=(rng.uniform(80, 190), rng.uniform(60, 120)),
        radius=rng.uniform(4, 15),
        holes=((15.0, 8.0, rng.uniform(10, 30)),),
        thickness=float(rng.choice([0.0, 3.0, 6.0])),
    )
    return Scene(
        part,
        sheet=sheet,
        pixels=pixels,
        tilt=rng.uniform(0, 20),
        azimuth=rng.uniform(0, 360),
        roll=rng.uniform(-20, 20) + (90 if sheet == A4 else 0),
        k1=float(rng.choice([0.0, -0.03, -0.08])),
        more_lens=(rng.uniform(-0.02, 0.02), rng.normal(0, 5e-4), rng.normal(0, 5e-4)),
        light=rng.uniform(1, 2),
        light_way=rng.uniform(0, 360),
        shadows=int(rng.integers(0, 4)),
        texture=str(rng.choice(["wood", "steel"])),
        bench=rng.uniform(60, 160),
        wall=rng.uniform(50, 160),
        seen=rng.uniform(390, 480),
        blur=rng.uniform(0.6, 1.3),
        noise=rng.uniform(1, 4),
        seed=number,
    )


def marks_on(paper: Grey, wide: float) -> NDArray[np.float64]:
    """Return corners (N, 2) of the marks on a printed page so wide, mm, as OpenCV finds them."""
    how = cv2.aruco.DetectorParameters()
    how.cornerRefinementMethod = cv2.aruco.CORNER_REFINE_SUBPIX
    kind = cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_5X5_250)
    found = cv2.aruco.ArucoDetector(kind, how).detectMarkers(paper)[0]
    px = np.concatenate([mark.reshape(-1, 2) for mark in found]) + 0.5
    return np.column_stack([px[:, 0], paper.shape[0] - px[:, 1]]) * wide / paper.shape[1]
