"""How the camera leaned, from the round holes of plates that are seen by OpenCV's own camera."""

from dataclasses import replace

import pytest

from silhueta.core.datums import Optics
from silhueta.core.job import Job, PictureFile, TraceSettings, set_optics
from silhueta.core.trace import stages
from silhueta.core.trace.job_trace import size_sigma, trace_job
from tests.plates import BRIGHT, DARK, HIGH, THICK, WIDE, datum, photo


def job_of(file: bytes, lean: float, thickness: float = THICK) -> Job:
    """Return a job that knows of 200 mm beside the plate, and how thick that is."""
    return Job(
        picture=PictureFile(file, "x.png"),
        datums=(datum(lean),),
        optics=Optics(thickness),
        trace=TraceSettings(mode="part", read="part", speck=20.0),
    )


def off(job: Job) -> float:
    """Return by how much an outline is too large or too small, mm."""
    left, bottom, right, top = job.outline.bounds
    return max(abs(right - left - WIDE), abs(top - bottom - HIGH))


@pytest.mark.parametrize("light", [DARK, BRIGHT])
def test_round_holes_tell_how_the_camera_leaned(light, monkeypatch):
    job = job_of(photo(light, 2.0), 2.0)
    done = trace_job(job)
    lean = done.job.traced.lean
    assert lean.holes == 5
    assert lean.angle == pytest.approx(2.0, abs=min(lean.sure, 0.4))
    assert off(done.job) < 0.3  # a pixel is 0.16 mm
    sure = size_sigma(done.job, done.rectified)
    monkeypatch.setattr(stages, "stand_of", lambda *_: None)
    plain = trace_job(job)
    assert plain.job.traced.lean is None
    assert off(plain.job) > 1.0
    assert sure[0] < size_sigma(plain.job, plain.rectified)[0]


def test_a_lean_counts_as_long_as_it_was_seen_so():
    done = trace_job(job_of(photo(DARK, 2.0), 2.0)).job
    assert done.lean is not None
    assert set_optics(done, replace(done.optics, thickness=4.0)).lean is None
    other = trace_job(replace(done, trace=replace(done.trace, tolerance=0.3))).job
    assert other.lean == done.lean  # and none is sought in a picture that is straight already
    assert off(other) < 0.3


def test_a_plate_without_round_holes_tells_no_lean():
    assert trace_job(job_of(photo(DARK, 2.0, ()), 2.0)).job.lean is None
