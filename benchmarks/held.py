"""Whether what is claimed as ± holds: sizes and holes of rendered photos against their truth.

    python -m benchmarks.held FOLDER [NAMES]

The folder's own `score.py` knows the truth and nothing of the program; the command line traces, and
the job that it keeps tells what is claimed.
"""

from __future__ import annotations

import math
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from types import ModuleType
from typing import Any, NamedTuple

from benchmarks.scenes import LIMIT, score_of, truths_of
from silhueta.core.datum.rectify import rectify
from silhueta.core.files.job_file import load_job
from silhueta.core.picture.decode import decode
from silhueta.core.trace.job_trace import size_sigma
from silhueta.core.truing.apply import noise_of
from silhueta.core.truing.features import features

_CHORD = 0.0005  # mm
_SAME = 0.1  # mm between a circle as it was scored and as it is known in the job


class Claim(NamedTuple):
    """What was measured of one thing: how far it is off, mm, and its ± (95 %; nan: none)."""

    scene: str
    what: str
    off: float
    sure: float

    @property
    def told(self) -> bool:
        """Whether there is a ±."""
        return not math.isnan(self.sure)

    @property
    def holds(self) -> bool:
        """Whether the truth lies within the ±."""
        return abs(self.off) <= self.sure


def claims(folder: Path, names: list[str]) -> list[Claim]:
    """Return all that is claimed of a folder's pictures, doubted ones too, two at a time."""
    score, truths = score_of(folder), truths_of(folder)
    chosen = [n for n in truths if not names or n in names]
    with ThreadPoolExecutor(2) as pool:
        made = pool.map(lambda n: _one(folder, n, truths[n], score), chosen)
        return [claim for some in made for claim in some]


def _one(folder: Path, name: str, truth: dict[str, Any], score: ModuleType) -> list[Claim]:
    program = Path(sys.executable).with_name("silhueta")
    with tempfile.TemporaryDirectory() as room:
        out, kept = Path(room) / "out.dxf", Path(room) / "out.silhueta"
        call = [str(program), "trace", str(folder / truth["file"]), "-o", str(out)]
        call += ["--job", str(kept), "--doubtful", *truth["args"]]
        try:
            subprocess.run(call, capture_output=True, timeout=LIMIT, check=True)
        except (subprocess.TimeoutExpired, subprocess.CalledProcessError):
            return []  # nothing is claimed
        got, job = score.score(out, truth), load_job(kept)
    if job.picture is None or "width_error_mm" not in got:
        return []
    flat = rectify(job, decode(job.picture))
    sure = [2 * sigma for sigma in size_sigma(job, flat)]
    offs = float(got["width_error_mm"]), float(got["height_error_mm"])
    found = [Claim(name, what, *one) for what, *one in zip(("w", "h"), offs, sure, strict=True)]
    circles = [f for f in features(job.outline, noise_of(job, flat)) if f.kind == "circle"]
    flatten, area = score.parts.flatten, score.parts.area
    true = {q["id"]: abs(area(flatten(q["segments"], _CHORD))) for q in truth["part"]["loops"]}
    for hole in got["holes"]:
        off = hole["diameter_error_mm"]
        if off is None:
            continue
        size = 2 * math.sqrt(true[hole["id"]] / math.pi) + off
        near = min(circles, key=lambda f: abs(f.size - size), default=None)
        if near is not None and abs(near.size - size) < _SAME:
            found.append(Claim(name, hole["id"], float(off), 2 * near.sigma))
        else:  # not known as one circle
            found.append(Claim(name, hole["id"], float(off), math.nan))
    return found


def main(arguments: list[str]) -> None:
    """Print what does not hold, and the shares of what does."""
    folder, *names = arguments
    made = claims(Path(folder), names)
    for claim in made:
        if not claim.holds and claim.told:
            print(f"{claim.scene:18} {claim.what:8} {claim.off:+.3f} mm, ± {claim.sure:.3f}")
    for kind, some in (
        ("sizes", [c for c in made if c.what in ("w", "h")]),
        ("holes", [c for c in made if c.what not in ("w", "h")]),
    ):
        told = [c for c in some if c.told]
        print(f"{kind} inside their ±: {sum(c.holds for c in told)} of {len(told)}", end="; ")
        print(f"without one: {len(some) - len(told)}")


if __name__ == "__main__":
    main(sys.argv[1:])
