"""By what a loop is known: through edits, files and a new trace."""

import io
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from silhueta.core.datums import PixelDatum
from silhueta.core.files.job_file import job_bytes, job_from_bytes
from silhueta.core.geometry.measure import box_of
from silhueta.core.geometry.outline import Contour, Outline, keyed
from silhueta.core.geometry.path import circle_loop
from silhueta.core.job import Job, PictureFile, TraceSettings, with_outline
from silhueta.core.trace.job_trace import trace_job
from tests.conftest import square


def keys(job: Job) -> list[int]:
    return [contour.key for contour in job.outline.contours]


def three() -> Job:
    paths = square(60), circle_loop((20, 20), 8), circle_loop((40, 40), 5)
    return Job(outline=Outline(tuple(Contour(path) for path in paths)))


def test_a_key_stays_with_its_loop_and_is_never_given_again():
    job = three()
    assert keys(job) == [1, 2, 3]
    one, two, last = job.outline.contours
    job = with_outline(job, Outline((one, replace(two, path=circle_loop((20, 20), 9)))))
    assert keys(job) == [1, 2]
    pieces = replace(two, path=circle_loop((20, 20), 3)), replace(two, path=circle_loop((9, 9), 2))
    job = with_outline(job, Outline((one, *pieces, Contour(last.path))))
    assert keys(job) == [1, 2, 4, 5]  # 3 went with its loop


@given(st.lists(st.integers(0, 6), max_size=12), st.integers(0, 9))
def test_all_keys_differ_and_none_that_was_given_first_is_lost(told, last):
    contours = tuple(Contour(circle_loop((0, 0), 1), key=key) for key in told)
    made, top = keyed(Outline(contours), last)
    got = [contour.key for contour in made.contours]
    assert len(set(got)) == len(got)
    assert all(0 < key <= top for key in got)
    assert set(told) - {0} <= set(got)
    assert all(key > max([last, *told]) for key in set(got) - set(told))


def test_keys_are_kept_in_the_job_file():
    job = three()
    job = with_outline(job, Outline(job.outline.contours[1:]))
    back = job_from_bytes(job_bytes(job), "plate")
    assert keys(back) == [2, 3]
    assert back.last_key == 3
    more = with_outline(back, Outline((*back.outline.contours, Contour(square(3)))))
    assert keys(more) == [2, 3, 4]


@pytest.mark.parametrize("change", [{"threshold": 140.0}, {"tolerance": 0.2}, {"speck": 30.0}])
def test_loops_are_known_again_when_the_picture_is_traced_again(change):
    y, x = np.mgrid[:300, :400] + 0.5
    grey = np.full((300, 400), 240, np.uint8)
    grey[40:260, 40:360] = 30
    for cx, cy, radius in ((100, 150, 30), (200, 150, 12), (300, 150, 20)):
        grey[np.hypot(x - cx, y - cy) < radius] = 240
    stream = io.BytesIO()
    Image.fromarray(grey).save(stream, "PNG")
    job = Job(
        picture=PictureFile(stream.getvalue(), "plate.png"),
        datums=(PixelDatum(0.5),),
        trace=TraceSettings(speck=1.0),
    )
    first = trace_job(job).job
    assert len(set(keys(first))) == 4
    again = trace_job(replace(first, trace=replace(first.trace, **change))).job

    def by_place(done: Job) -> dict[tuple[int, ...], int]:
        boxes = {c.key: box_of(c.path) for c in done.outline.contours}
        return {tuple(round(side) for side in box): key for key, box in boxes.items()}

    before, after = by_place(first), by_place(again)
    assert len(after) >= 3
    assert all(before.get(place) == key for place, key in after.items())
