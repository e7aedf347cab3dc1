"""How true a photographed part comes out: rendered photos, known truth, mm first."""

from __future__ import annotations

import io
import time
from dataclasses import replace
from typing import NamedTuple

import cv2
import numpy as np
from ezdxf.math import ConstructionArc, Vec2, bulge_to_arc
from numpy.typing import NDArray
from PIL import Image
from scipy.optimize import least_squares

from benchmarks.photo import Part, Scene, printed, render
from silhueta.core.datum.gauge import gauge_pdf
from silhueta.core.datum.look_for import look_for_gauge, look_for_sheet
from silhueta.core.datum.rectify import rectify
from silhueta.core.errors import ScaleError, SilhuetaError
from silhueta.core.job import Datum, Job, LengthDatum, Optics, PictureFile, TraceSettings
from silhueta.core.picture.decode import Picture, decode
from silhueta.core.trace.job_trace import size_sigma, trace_job
from silhueta.core.trace_settings import Mode

A4 = (210.0, 297.0)
Grey = NDArray[np.uint8]


class Measured(NamedTuple):
    """Errors in mm: overall (u, v), of the worst hole's diameter, mean distance; sigma of u."""

    overall: tuple[float, float]
    hole: float
    mean: float
    sigma: float


def photo(scene: Scene, quality: int = 95) -> Picture:
    """Return the rendered photo after a JPEG's loss, with its focal length as a phone tells it."""
    grey = render(scene)
    stored = cv2.imencode(".jpg", grey, [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
    back = cv2.imdecode(stored, cv2.IMREAD_GRAYSCALE)
    back.setflags(write=False)
    return Picture(back, None, None, "JPEG", scene.focal35)


def measure(
    picture: Picture,
    datum: Datum,
    scene: Scene,
    thickness: float | None = None,
    mode: Mode = "threshold",
) -> Measured:
    """Return the errors of the traced part; `thickness` is what calipers said, if not the truth."""
    assert scene.part is not None
    stored = cv2.imencode(".png", picture.grey)[1].tobytes() if mode == "part" else b"-"
    job = Job(
        picture=PictureFile(stored, "photo.png"),
        datums=(datum,),
        optics=Optics(scene.part.thickness if thickness is None else thickness),
        trace=TraceSettings(speck=20.0, mode=mode),
    )
    done, _, flat = trace_job(job, picture)
    part = replace(scene.part, x=0.0, y=0.0, turn=0.0)
    loops = [_sampled(loop.nodes, loop.bulges) for loop in done.outline.loops]
    longest = max(loops, key=lambda p: float(np.ptp(p, axis=0).max()))
    points = _laid_on(np.vstack(loops), longest, part)
    u, v = np.ptp(points, axis=0)
    holes = []
    for x, y, diameter in part.holes:
        away = np.hypot(points[:, 0] - x, points[:, 1] - y)
        rim = away < diameter / 2 + 2.0
        holes.append(2 * away[rim].mean() - diameter if rim.sum() > 8 else np.inf)
    # its ends as the scene's own camera sees them: only what is claimed there is the program's
    way = np.array([np.cos(scene.part.turn), np.sin(scene.part.turn)])
    middle = np.array([scene.part.x, scene.part.y])
    ends = middle + 0.5 * scene.part.size[0] * np.array([[-1.0], [1.0]]) * way
    one, two = scene.plane().to_px(ends, scene.part.thickness).tolist()
    _, scale = flat.solution.length(tuple(one), tuple(two))  # type: ignore[arg-type]
    edges = size_sigma(done, flat)[0] ** 2 - flat.size_sigma(done.outline.bounds)[0] ** 2
    sigma = float(np.sqrt(scale**2 + edges))
    return Measured(
        (float(u - part.size[0]), float(v - part.size[1])),
        float(max(holes, key=abs)),
        float(np.abs(part.distance(points)).mean()),
        sigma,
    )


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


def _datum(picture: Picture, scene: Scene, kind: str) -> Datum:
    if kind == "sheet":
        return look_for_sheet(picture, "a4", A4)
    if kind == "gauge":
        return look_for_gauge(picture)
    one, two = scene.plane().to_px(np.array([[20.0, 30.0], [270.0, 30.0]]))
    return LengthDatum(tuple(one), tuple(two), 250.0)  # type: ignore[arg-type]


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


def finding(count: int = 200, kind: str = "sheet") -> dict[str, float]:
    """Return how often the sheet is found, and how often a wrong one is called sure."""
    found = wrong = 0
    paper = printed(gauge_pdf("a4")) if kind == "gauge" else None
    marks = marks_on(paper, A4[0]) if paper is not None else np.zeros((0, 2))
    for number in range(count):
        scene = random_scene(number)
        if paper is not None:
            scene = replace(scene, sheet=A4, print_on=paper, roll=90.0)
        picture = photo(scene)
        try:
            datum = _datum(picture, scene, kind)
        except ScaleError:
            continue
        if kind == "sheet":
            corners, true = np.array(datum.corners), scene.corners()  # type: ignore[union-attr]
            error = min(np.abs(np.roll(corners, k, 0) - true).max() for k in range(4))
        else:
            points = np.array(datum.points)  # type: ignore[union-attr]
            away = np.hypot(*(points[:, None, 2:] - marks[None]).transpose(2, 0, 1))
            true = scene.plane().to_px(marks[away.argmin(1)])
            error = float(np.abs(true - points[:, :2]).max())
        found += error < 3.0
        wrong += error >= 3.0
    return {f"{kind} found of {count}": found, f"{kind} wrong but sure": wrong}


def marks_on(paper: Grey, wide: float) -> NDArray[np.float64]:
    """Return corners (N, 2) of the marks on a printed page so wide, mm, as OpenCV finds them."""
    how = cv2.aruco.DetectorParameters()
    how.cornerRefinementMethod = cv2.aruco.CORNER_REFINE_SUBPIX
    kind = cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_5X5_250)
    found = cv2.aruco.ArucoDetector(kind, how).detectMarkers(paper)[0]
    px = np.concatenate([mark.reshape(-1, 2) for mark in found]) + 0.5
    return np.column_stack([px[:, 0], paper.shape[0] - px[:, 1]]) * wide / paper.shape[1]


def honesty(count: int = 200) -> dict[str, float]:
    """Return in how many random scenes the true width lies within two standard uncertainties.

    As in life, the lens is known to 3 % and the thickness to 0.05 mm only.
    """
    inside = tried = 0
    for number in range(count):
        scene = random_scene(10_000 + number)
        part = scene.part
        assert part is not None
        middle = np.array(scene.sheet) / 2
        scene = replace(  # all of it on the sheet, so that it can be traced
            scene, part=replace(part, x=middle[0], y=middle[1], size=(110.0, 70.0)), shadows=0
        )
        rng = np.random.default_rng(number)
        picture = replace(photo(scene), focal35=scene.focal35 * (1 + rng.normal(0, 0.03)))
        said = max(part.thickness + rng.normal(0, 0.05), 0.0) if part.thickness else 0.0
        try:
            sheet = look_for_sheet(picture, "a4", A4)
            got = measure(picture, sheet, scene, said, "part")
        except SilhuetaError:
            continue
        tried += 1
        inside += abs(got.overall[0]) <= 2 * got.sigma
    return {"scenes measured": tried, "inside two standard uncertainties, %": 100 * inside / tried}


def speed() -> dict[str, float]:
    """Return the time from a 24-megapixel JPEG to the rectified picture over that of decoding."""
    scene = Scene(Part(150, 100, 0.3), pixels=(6000, 4000), tilt=12.0, azimuth=40.0, k1=-0.05)
    made = io.BytesIO()
    Image.fromarray(render(scene)).convert("RGB").save(made, "JPEG", quality=92)
    file = PictureFile(made.getvalue(), "photo.jpg")
    datum = look_for_sheet(decode(file), "a4", A4)
    alone, whole = [], []
    for _ in range(4):
        start = time.perf_counter()
        with Image.open(io.BytesIO(file.data)) as image:
            image.load()
        alone.append(time.perf_counter() - start)
        start = time.perf_counter()
        rectify(Job(picture=file, datums=(datum,)), decode(file))
        whole.append(time.perf_counter() - start)
    return {
        "decoding a 24-megapixel JPEG (Pillow), s": min(alone),
        "file to rectified picture, s": min(whole),
        "rectified / decoding": min(whole) / min(alone),
    }
