"""What pictures are taken for, on opening: a listed set, what each shows seen by eye.

    python -m benchmarks.reading [FOLDER ...]

Folders as for benchmarks.scenes; the demo jobs' pictures and those that scikit-image carries are
always there.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from pathlib import Path

from silhueta.core.datum.look_for import look_for_any
from silhueta.core.job import Job
from silhueta.core.picture.decode import decode, decode_colour, read_picture_file
from silhueta.core.trace.job_trace import read_job

_DEMO = {
    "capstan_gasket.png": "solid",
    "harbour_emblem.png": "colours",
    "heron_drawing.jpg": "line",
    "rudder_strap.jpg": "part",
    "valve_cover_gasket.jpg": "part",
}
# photographs show parts, or what would be one; seen by eye
_SKIMAGE = {
    **dict.fromkeys(
        "astronaut brick camera cell chelsea clock_motion coffee coins grass gravel ihc "  # noqa: SIM905
        "microaneurysms moon motorcycle_left motorcycle_right".split(),
        "part",
    ),
    "chessboard_GRAY": "solid",
    "chessboard_RGB": "solid",
    "horse": "solid",
    "page": "solid",
    "logo": "colours",
    "text": "line",
}
_SKIMAGE_JPEG = dict.fromkeys(("hubble_deep_field", "retina", "rocket"), "part")
_SCENES = {
    "scan_gasket": "solid",
    "scan_pencil": "line",
    "ink_drawing": "line",
    "screen_emblem": "colours",
}
_MOST = 11  # pictures of a folder of random scenes


def pictures(folders: list[Path]) -> Iterator[tuple[Path, str]]:
    """Yield each picture and what it shows."""
    import skimage

    import silhueta.demo

    demo = Path(silhueta.demo.__file__).parent
    yield from ((demo / name, kind) for name, kind in _DEMO.items())
    data = Path(skimage.__file__).parent / "data"
    yield from ((data / f"{name}.png", kind) for name, kind in _SKIMAGE.items())
    yield from ((data / f"{name}.jpg", kind) for name, kind in _SKIMAGE_JPEG.items())
    for folder in folders:
        truths = json.loads((folder / "truth.json").read_text())
        truths = truths.get("scenes", truths)
        named = list(truths) if len(truths) < 50 else list(truths)[:_MOST]
        for name in named:
            yield folder / truths[name]["file"], _SCENES.get(name, "part")


def run(folders: list[Path]) -> dict[str, float]:
    """Print a line a picture, and return how many were taken for what they show."""
    right = total = 0
    for file, shows in pictures(folders):
        source = read_picture_file(file)
        picture, colours = decode(source), decode_colour(source)
        datum = None
        if picture.dpi is None or picture.focal35 is not None:
            datum = look_for_any(picture, colours=colours)
        job = Job(picture=source, datums=() if datum is None else (datum,))
        kind = read_job(job, picture, colours=colours)[1].kind
        total += 1
        right += kind == shows
        print(f"{file.name:26s} {kind:8s} {'' if kind == shows else f'WRONG: shows {shows}'}")
    return {"pictures": float(total), "read right": float(right), "share": right / total}


if __name__ == "__main__":
    print(run([Path(a) for a in sys.argv[1:]]))
