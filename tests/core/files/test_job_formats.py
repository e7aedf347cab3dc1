"""Jobs of every format there was open as they were, and the page on formats says what is so."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from silhueta.core.datums import LengthDatum
from silhueta.core.files.job_file import FORMAT, job_bytes, job_from_bytes, load_job
from silhueta.core.geometry.measure import bounding_box
from tools.formats import TARGET, page

JOBS = Path(__file__).parents[2] / "data" / "jobs"  # each saved by the program of its day


@pytest.mark.parametrize("number", range(1, FORMAT + 1))
def test_a_job_of_every_format_opens_as_it_was(number):
    job = load_job(JOBS / f"format-{number}.silhueta")
    assert job.name == f"Strap {number}"
    assert job.picture is not None
    assert job.picture.name == "strap.png"
    (datum,) = job.datums
    assert isinstance(datum, LengthDatum)
    assert (datum.start, datum.end, datum.mm) == ((2, 10), (28, 10), 52)
    assert job.trace.tolerance == 0.25
    plate, hole = job.outline.contours
    assert bounding_box([plate.path]) == pytest.approx((0, 0, 80, 50))
    assert bounding_box([hole.path]) == pytest.approx((14, 19, 26, 31), abs=1e-9)
    assert plate.taken
    assert plate.operation == "cut"
    assert (plate.key, hole.key) != (0, 0)
    again = job_from_bytes(job_bytes(job), "again")
    for one, two in zip(job.outline.contours, again.outline.contours, strict=True):
        assert np.array_equal(one.path.nodes, two.path.nodes)


def test_the_page_on_formats_is_what_the_code_says():
    assert TARGET.read_text() == page(), "run python -m tools.formats"
