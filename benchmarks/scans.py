"""Scans of random parts, as a flatbed scanner makes them: whether their light is told.

    python -m benchmarks.scans [COUNT] [--first SEED] [--other] [--keep FOLDER]

A part is a plate with rounded corners, holes of whole and half millimetres, and slots, known by
its distance function. It is averaged over finer places in linear light, blurred, lit so that the
paper clips in most, bent by sRGB or by a gamma that the file states, sharpened in stored values,
and saved as JPEG of 60 to 95, PNG or TIFF, grey or colour. With --other it is blurred by a disc
and sharpened by boxes: no form that the program assumes. Each goes through `silhueta trace` with
nothing said but a dpi where the file has none. Holes are read from the DXF by ezdxf.
Nothing here is shared with what it judges.
"""

from __future__ import annotations

import json
import struct
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from multiprocessing import Pool
from pathlib import Path
from typing import Any

import cv2
import ezdxf
import numpy as np
from numpy.typing import NDArray
from PIL import Image, PngImagePlugin

Floats = NDArray[np.float64]
_FINER = 3  # places a px, each with its own coverage


@dataclass(frozen=True)
class Part:
    """A plate in mm, its middle at (0, 0): size, corner radius, holes (x, y, d), slots."""

    wide: float
    high: float
    corner: float
    holes: tuple[tuple[float, float, float], ...]
    slots: tuple[tuple[float, float, float, float], ...]  # x, y, length between ends, width

    def distance(self, x: Floats, y: Floats) -> Floats:
        """Return how far places are outside of the part, mm; negative inside."""
        dx = np.abs(x) - (self.wide / 2 - self.corner)
        dy = np.abs(y) - (self.high / 2 - self.corner)
        far = np.hypot(np.maximum(dx, 0), np.maximum(dy, 0)) + np.minimum(np.maximum(dx, dy), 0)
        away = far - self.corner
        for cx, cy, diameter in self.holes:
            away = np.maximum(away, diameter / 2 - np.hypot(x - cx, y - cy))
        for cx, cy, long, width in self.slots:
            along = np.abs(x - cx) - long / 2
            away = np.maximum(away, width / 2 - np.hypot(np.maximum(along, 0), y - cy))
        return np.asarray(away)


def random_part(rng: np.random.Generator) -> Part:
    """Return a plate of 50 to 110 mm with up to seven holes that keep their distance."""
    wide, high = rng.uniform(50, 110), rng.uniform(40, 80)
    holes: list[tuple[float, float, float]] = []
    slots: list[tuple[float, float, float, float]] = []
    for _ in range(60):
        d = float(rng.choice(np.arange(8, 45)) / 2)
        x = float(rng.uniform(-wide / 2, wide / 2))
        y = float(rng.uniform(-high / 2, high / 2))
        inside = abs(x) < wide / 2 - d / 2 - 3 and abs(y) < high / 2 - d / 2 - 3
        clear = all(np.hypot(x - a, y - b) > (d + c) / 2 + 3 for a, b, c in holes)
        if inside and clear and len(holes) < 7:
            holes.append((x, y, d))
    return Part(wide, high, float(rng.uniform(2, 8)), tuple(holes), tuple(slots))


def _disc(radius: float) -> Floats:
    """Return what a lens that is not quite sharp makes of a point: an even disc, px."""
    y, x = (np.mgrid[-30:31, -30:31] / 10.0).reshape(2, -1)
    kernel = np.zeros((7, 7))
    inside = np.hypot(x, y) <= radius
    np.add.at(kernel, (np.rint(y[inside]).astype(int) + 3, np.rint(x[inside]).astype(int) + 3), 1.0)
    return kernel / kernel.sum()


def scanned(part: Part, seed: int, folder: Path, other: bool = False) -> tuple[Path, list[str]]:
    """Return the file of a scan, and what a person says with it.

    `other`: blurred by a disc and sharpened by boxes, in place of bells for both.
    """
    rng = np.random.default_rng(1000 + seed)
    dpi = int(rng.choice([200, 300, 300, 300, 400]))
    per_mm = dpi / 25.4
    wide = int((part.wide + 16) * per_mm)
    high = int((part.high + 16) * per_mm)
    turn = np.deg2rad(rng.uniform(-3, 3))
    light = np.empty((high, wide))
    for top in range(0, high, 200):
        rows = min(200, high - top)
        gy, gx = np.mgrid[: rows * _FINER, : wide * _FINER]
        u = ((gx + 0.5) / _FINER - wide / 2) / per_mm
        v = (high / 2 - top - (gy + 0.5) / _FINER) / per_mm
        x, y = u * np.cos(turn) + v * np.sin(turn), -u * np.sin(turn) + v * np.cos(turn)
        share = np.clip(0.5 - part.distance(x, y) * per_mm * _FINER, 0, 1)
        light[top : top + rows] = share.reshape(rows, _FINER, wide, _FINER).mean((1, 3))
    marks = cv2.GaussianBlur(rng.normal(0, 1, light.shape), (0, 0), sigmaX=9, sigmaY=0.8)
    grain = cv2.GaussianBlur(rng.normal(0, 1, light.shape), (0, 0), 1.2)
    dark = rng.uniform(0.015, 0.16) * (1 + 0.8 * marks + 0.4 * grain)
    paper = rng.uniform(0.8, 0.9) * (1 + 0.02 * grain)
    seen = light * dark + (1 - light) * paper
    if other:
        seen = cv2.filter2D(seen, -1, _disc(float(rng.uniform(0.8, 1.7))))
    else:
        seen = cv2.GaussianBlur(seen, (0, 0), float(rng.uniform(0.5, 0.9)))
    seen = seen * rng.uniform(1.0, 1.35) + rng.normal(0, rng.uniform(0.001, 0.004), seen.shape)
    colour = bool(rng.random() < 0.5)
    planes = seen[..., None] * (rng.uniform(0.94, 1.0, 3) if colour else np.ones(1))
    plain = bool(rng.random() < 0.7)
    gamma = 2.4 if plain else 1.8
    planes = np.clip(planes, 0, 1)
    if plain:
        bent = np.where(planes <= 0.0031308, 12.92 * planes, 1.055 * planes ** (1 / 2.4) - 0.055)
    else:
        bent = planes ** (1 / gamma)
    if rng.random() < 0.5:
        if other:
            side = int(rng.choice([3, 5]))
            soft = cv2.blur(bent, (side, side)).reshape(bent.shape)
        else:
            soft = cv2.GaussianBlur(bent, (0, 0), 1.0).reshape(bent.shape)
        bent = bent + rng.uniform(0.3, 0.9) * (bent - soft)
    stored = np.clip(np.round(255 * bent), 0, 255).astype(np.uint8)
    image = Image.fromarray(stored if colour else stored[..., 0])
    says = bool(rng.random() < 0.75)
    told: dict[str, Any] = {"dpi": (dpi, dpi)} if says else {}
    kind = str(rng.choice(["jpg", "jpg", "jpg", "png", "tif"]))
    file = folder / f"scan_{seed:03d}.{kind}"
    if kind == "jpg":
        told |= {"quality": int(rng.integers(60, 96)), "subsampling": int(rng.choice([0, 2]))}
    if not plain and kind == "png" and rng.random() < 0.5:
        info = PngImagePlugin.PngInfo()
        info.add(b"gAMA", struct.pack(">I", round(1e5 / gamma)))
        told["pnginfo"] = info
    elif not plain:
        told["icc_profile"] = profile(gamma, colour)
    image.save(file, **told)
    return file, [] if says else ["--dpi", str(dpi)]


def profile(gamma: float, colour: bool) -> bytes:
    """Return an ICC profile of that gamma: ICC.1:2001-04, sections 6.1, 6.4, 6.5.2, 6.5.25."""
    curve = b"curv\0\0\0\0" + struct.pack(">IH", 1, round(gamma * 256)) + b"\0\0"

    def xyz(*values: float) -> bytes:
        return b"XYZ \0\0\0\0" + struct.pack(">3i", *(round(v * 65536) for v in values))

    text = b"made up\0"
    desc = b"desc\0\0\0\0" + struct.pack(">I", len(text)) + text + bytes(78)
    tags = [(b"desc", desc), (b"cprt", b"text\0\0\0\0" + text), (b"wtpt", xyz(0.9642, 1, 0.8249))]
    if colour:  # the primaries of IEC 61966-2-1, adapted to D50
        tags += [(b"rXYZ", xyz(0.4361, 0.2225, 0.0139)), (b"gXYZ", xyz(0.3851, 0.7169, 0.0971))]
        tags += [(b"bXYZ", xyz(0.1431, 0.0606, 0.7141))]
        tags += [(name, curve) for name in (b"rTRC", b"gTRC", b"bTRC")]
    else:
        tags.append((b"kTRC", curve))
    place = 128 + 4 + 12 * len(tags)
    table, body = struct.pack(">I", len(tags)), b""
    for name, data in tags:
        data += bytes(-len(data) % 4)
        table += name + struct.pack(">II", place + len(body), len(data))
        body += data
    size = 128 + len(table) + len(body)
    head = struct.pack(
        ">I4sI4s4s4s", size, bytes(4), 0x02100000, b"scnr", b"RGB " if colour else b"GRAY", b"XYZ "
    )
    head += struct.pack(">6H", 2026, 1, 1, 0, 0, 0) + b"acsp" + bytes(28)
    head += struct.pack(">3i", *(round(v * 65536) for v in (0.9642, 1, 0.8249)))
    return head.ljust(128, b"\0") + table + body


def scored(seed: int, folder: Path, other: bool) -> dict[str, Any]:
    """Return what came of one scan."""
    part = random_part(np.random.default_rng(seed))
    file, said = scanned(part, seed, folder, other)
    out, report = folder / f"o{seed}.dxf", folder / f"o{seed}.json"
    rows: dict[str, Any] = {"seed": seed, "file": file.name}
    for true in ("none", "all"):
        done = subprocess.run(
            [sys.executable, "-c", "from silhueta.cli import main; main()", "trace", str(file)]
            + ["-o", str(out), "--report", str(report), *said]
            + ["--true", true, *(["--hole-sizes", "mm"] if true == "all" else [])],
            capture_output=True,
            text=True,
            check=False,
        )
        if done.returncode:
            return rows | {"refused": done.stderr.strip()}
        told = json.loads(report.read_text())
        rows[true] = _held(part, out) | {"nodes": told["nodes"]}
        rows["light"] = told.get("light")
        if true == "none":
            told_of = [(np.array(h["at_mm"]), h["sigma_mm"]) for h in told["hole_sizes"]]
            rows["sigma"] = [
                None if at is None else min(told_of, key=lambda h: float(np.hypot(*(h[0] - at))))[1]
                for at in rows[true]["at"]
            ]
    return rows


def _held(part: Part, out: Path) -> dict[str, Any]:
    """Return mean distance from the part's edge, mm, and how far each hole's diameter is off."""
    circles, places = [], []
    for entity in ezdxf.readfile(out).modelspace():
        if entity.dxftype() == "CIRCLE":
            circles.append((entity.dxf.center.x, entity.dxf.center.y, 2 * entity.dxf.radius))
            continue
        for piece in entity.virtual_entities():
            if piece.dxftype() == "LINE":
                a, b = (np.array([p.x, p.y]) for p in (piece.dxf.start, piece.dxf.end))
                count = max(2, int(np.hypot(*(b - a)) / 0.2))
                places.append(a + np.linspace(0, 1, count)[:, None] * (b - a))
            else:
                first, last = piece.dxf.start_angle, piece.dxf.end_angle
                turns = np.deg2rad(first + np.linspace(0, (last - first) % 360, 60))
                centre = np.array([piece.dxf.center.x, piece.dxf.center.y])
                places.append(
                    centre + piece.dxf.radius * np.column_stack([np.cos(turns), np.sin(turns)])
                )
    rim = np.vstack(places) if places else np.zeros((0, 2))
    pose = _pose(part, rim)
    if pose is None:
        nothing = [None] * len(part.holes)
        return {"mean": float("inf"), "holes": nothing, "at": nothing}
    x, y = pose(rim).T
    mean = float(np.abs(part.distance(x, y)).mean())
    holes: list[float | None] = []
    at: list[Floats | None] = []
    centres = pose(np.array([c[:2] for c in circles]).reshape(-1, 2))
    for cx, cy, d in part.holes:
        away = np.hypot(*(centres - [cx, cy]).T) if len(centres) else np.array([9.0])
        k = int(away.argmin())
        holes.append(circles[k][2] - d if away[k] < 0.5 else None)
        at.append(np.array(circles[k][:2]) if away[k] < 0.5 else None)
    return {"mean": mean, "holes": holes, "at": at}


def _pose(part: Part, rim: Floats) -> Any:
    """Return the motion that lays the outline on the part: the file has a corner for its zero."""
    from scipy.optimize import least_squares

    if len(rim) < 10:
        return None
    middle = 0.5 * (rim.max(0) + rim.min(0))

    def moved(points: Floats, p: Floats) -> Floats:
        c, s = np.cos(p[2]), np.sin(p[2])
        return np.asarray((points - middle) @ np.array([[c, s], [-s, c]]) + p[:2])

    def off(p: Floats) -> Floats:
        x, y = moved(rim, p).T
        return part.distance(x, y)

    best = min(
        (least_squares(off, [0.0, 0.0, t], loss="soft_l1") for t in np.deg2rad([-2, 0, 2])),
        key=lambda found: found.cost,
    )
    return lambda points: moved(points, best.x)


def run(
    count: int = 60, folder: Path | None = None, first: int = 0, other: bool = False
) -> dict[str, float]:
    """Print what is wrong, and return the figures over `count` scans from seed `first` on."""
    with tempfile.TemporaryDirectory() as own:
        where = folder or Path(own)
        where.mkdir(exist_ok=True)
        with Pool() as pool:
            rows = pool.starmap(
                scored, [(first + k, where, other) for k in range(count)], chunksize=1
            )
    good = [row for row in rows if "refused" not in row]
    off = [abs(h) for row in good for h in row["none"]["holes"] if h is not None]
    within = [
        abs(h) <= 2 * sigma
        for row in good
        for h, sigma in zip(row["none"]["holes"], row["sigma"], strict=True)
        if h is not None
    ]
    exact = [h for row in good for h in row["all"]["holes"]]
    for row in rows:
        if "refused" in row:
            print(row["file"], row["refused"])
            continue
        worst = max((abs(h) for h in row["none"]["holes"] if h is not None), default=0.0)
        wrong = sum(h is None or abs(h) > 2e-3 for h in row["all"]["holes"])
        if worst > 0.03 or row["none"]["mean"] > 0.02 or wrong:
            print(
                f"{row['file']:14s} mean {row['none']['mean']:.3f} worst hole {worst:.3f} "
                f"not exact {wrong} of {len(row['all']['holes'])}, light {row['light']}"
            )
    return {
        "scans": count,
        "refused": count - len(good),
        "mean deviation, mm, mean": float(np.mean([row["none"]["mean"] for row in good])),
        "mean deviation, mm, worst": float(np.max([row["none"]["mean"] for row in good])),
        "holes": len(exact),
        "holes, largest error, mm": max(off),
        "holes within 0.03 mm": sum(h <= 0.03 for h in off) / max(len(off), 1),
        "holes within what is claimed (95 %)": float(np.mean(within)),
        "holes exact with --true all": sum(h is not None and abs(h) <= 2e-3 for h in exact)
        / max(len(exact), 1),
        "holes made another size": sum(
            h is not None and abs(h) > 2e-3 and abs(2 * h - round(2 * h)) < 4e-3 for h in exact
        ),
    }


if __name__ == "__main__":
    given = sys.argv[1:]
    keep = Path(given[given.index("--keep") + 1]) if "--keep" in given else None
    first = int(given[given.index("--first") + 1]) if "--first" in given else 0
    number = int(given[0]) if given and given[0].isdigit() else 60
    for name, value in run(number, keep, first, "--other" in given).items():
        print(f"{name}: {value:.4g}")
