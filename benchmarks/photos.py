"""How true a photographed part comes out: rendered photos, known truth, mm first.

Scenes, truth and errors come from `photo` and `photo_truth`, which know nothing of the program;
here it is run on them.
"""

from __future__ import annotations

import io
import json
import tempfile
import time
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple

import cv2
import ezdxf
import numpy as np
from PIL import Image

from benchmarks.called import called
from benchmarks.photo import Part, Scene, printed, render
from benchmarks.photo_truth import A4, ends_of, errors_of, marks_on, random_scene, stored
from silhueta.core.datum.gauge import gauge_pdf
from silhueta.core.datum.look_for import look_for_gauge, look_for_sheet
from silhueta.core.datum.rectify import rectify
from silhueta.core.datums import Datum, Optics
from silhueta.core.errors import ScaleError
from silhueta.core.job import Job, PictureFile, TraceSettings
from silhueta.core.picture.decode import Picture, decode
from silhueta.core.trace.job_trace import size_sigma, trace_job
from silhueta.core.trace_settings import Mode


class Measured(NamedTuple):
    """Errors in mm: overall (u, v), of the worst hole's diameter, mean distance; sigma of u."""

    overall: tuple[float, float]
    hole: float
    mean: float
    sigma: float


def photo(scene: Scene, quality: int = 95) -> Picture:
    """Return the rendered photo after a JPEG's loss, with its focal length as a phone tells it."""
    grey = stored(scene, quality)
    grey.setflags(write=False)
    return Picture(grey, None, None, "JPEG", scene.focal35)


def measure(
    picture: Picture,
    datum: Datum,
    scene: Scene,
    said: Optics | None = None,
    mode: Mode = "threshold",
) -> Measured:
    """Return the errors of the traced part; `said` is what calipers said, if not the truth."""
    assert scene.part is not None
    data = cv2.imencode(".png", picture.grey)[1].tobytes() if mode == "part" else b"-"
    job = Job(
        picture=PictureFile(data, "photo.png"),
        datums=(datum,),
        optics=said or Optics(scene.part.thickness),
        trace=TraceSettings(speck=20.0, mode=mode),
    )
    done, _, flat = trace_job(job, picture)
    off = errors_of([(loop.nodes, loop.bulges) for loop in done.outline.loops], scene.part)
    one, two = ends_of(scene).tolist()  # only what is claimed there is the program's
    _, scale = flat.solution.length(tuple(one), tuple(two))  # type: ignore[arg-type]
    edges = size_sigma(done, flat)[0] ** 2 - flat.size_sigma(done.outline.bounds)[0] ** 2
    sigma = float(np.sqrt(scale**2 + edges))
    return Measured(off.overall, off.hole, off.mean, sigma)


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
            datum: Datum = (
                look_for_gauge(picture) if kind == "gauge" else look_for_sheet(picture, "a4", A4)
            )
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


def _measured(scene: Scene, said: list[str]) -> tuple[float, float] | None:
    """Return how far off the width that the command line writes is, and its sigma, mm.

    None: nothing was written, or only with a doubt.
    """
    assert scene.part is not None
    with tempfile.TemporaryDirectory() as folder:
        file, out, report = (Path(folder) / f"a.{kind}" for kind in ("jpg", "dxf", "json"))
        grey = stored(scene, 95)
        cv2.imwrite(str(file), grey, [cv2.IMWRITE_JPEG_QUALITY, 100])
        told = ["--read", "part", "--sheet", "a4", *said]
        ends = ["-o", str(out), "--report", str(report)]
        if called("trace", str(file), *ends, *told)[0]:
            return None
        loops = []
        for entity in ezdxf.readfile(out).modelspace():
            if entity.dxftype() == "CIRCLE":
                x, y, _ = entity.dxf.center
                r = entity.dxf.radius
                loops.append((np.array([[x + r, y], [x - r, y]]), np.ones(2)))
            else:
                rows = np.array(entity.get_points("xyb"))
                loops.append((rows[:, :2], rows[:, 2]))
        sigmas = json.loads(report.read_text())["size_sigma_mm"]
    return errors_of(loops, scene.part).overall[0], float(max(sigmas))


def honesty(count: int = 200, told: bool = True) -> dict[str, float]:
    """Return in how many random scenes the true width lies within two standard uncertainties.

    As in life, the lens is known to 3 % and the thickness to 0.05 mm only, or it is not `told`.
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
        focal = scene.focal35 * (1 + rng.normal(0, 0.03))
        thick = max(part.thickness + rng.normal(0, 0.05), 0.0) if part.thickness else 0.0
        said = ["--focal35", f"{focal}", *(["--thickness", f"{thick}mm"] if told else [])]
        got = _measured(scene, said)
        if got is None:
            continue
        tried += 1
        inside += abs(got[0]) <= 2 * got[1]
    inside_of = "inside two standard uncertainties" + ("" if told else ", thickness not told")
    return {"scenes measured": tried, f"{inside_of}, %": 100 * inside / tried}


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
