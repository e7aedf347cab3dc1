import math
from dataclasses import replace

import pytest

from silhueta.core.datums import DpiDatum, LengthDatum, OverallDatum, PixelDatum
from silhueta.core.errors import EditError, ScaleError
from silhueta.core.geometry.outline import Outline
from silhueta.core.job import (
    CutFileSettings,
    Job,
    PictureFile,
    TraceSettings,
    TraceStamp,
    is_stale,
    set_cut_file,
    set_datums,
    set_outline,
    set_picture,
    set_trace,
)

PICTURE = PictureFile(b"\x89PNG", "strap.png")


def stamp(job: Job) -> TraceStamp:
    return TraceStamp(job.inputs, 0.1, 127.5, 0, 0.01)


def test_an_edit_that_changes_nothing_gives_the_same_job():
    job = set_datums(Job(), (DpiDatum(300),))
    assert set_datums(job, (DpiDatum(300.0),)) is job
    assert set_trace(job, TraceSettings()) is job
    assert set_cut_file(job, CutFileSettings()) is job


def test_a_new_picture_drops_what_was_traced_and_keeps_the_settings():
    job = Job(trace=TraceSettings(invert=True), datums=(PixelDatum(0.1),))
    job = set_outline(job, Outline(), stamp(job))
    after = set_picture(job, PICTURE, "Strap", DpiDatum(300, "file"))
    assert after.traced is None
    assert after.datums == (DpiDatum(300, "file"),)
    assert after.trace.invert
    assert job.traced is not None  # the job before is as it was


@pytest.mark.parametrize(
    "edit",
    [
        lambda job: set_datums(job, (PixelDatum(0.2),)),
        lambda job: set_trace(job, replace(job.trace, threshold=90)),
        lambda job: set_trace(job, replace(job.trace, speck=2.0)),
    ],
)
def test_an_outline_is_stale_once_what_it_came_from_changes(edit):
    job = set_picture(Job(), PICTURE, "Strap", DpiDatum(300))
    assert is_stale(job)
    job = set_outline(job, Outline(), stamp(job))
    assert not is_stale(job)
    assert is_stale(edit(job))
    assert not is_stale(set_cut_file(job, CutFileSettings(units="in")))


def test_without_a_picture_nothing_is_stale():
    assert not is_stale(Job())


@pytest.mark.parametrize("bad", [0, -1, math.nan, math.inf])
@pytest.mark.parametrize(
    "make",
    [
        DpiDatum,
        PixelDatum,
        lambda mm: OverallDatum("width", mm),
        lambda mm: LengthDatum((0, 0), (100, 0), mm),
    ],
)
def test_datums_refuse_what_cannot_be(make, bad):
    with pytest.raises(ScaleError, match="above zero"):
        make(bad)


def test_two_points_in_one_place_fix_no_scale():
    with pytest.raises(ScaleError, match="less than a pixel apart"):
        LengthDatum((10, 10), (10.5, 10), 200)


@pytest.mark.parametrize(
    "wrong",
    [
        {"threshold": 256},
        {"threshold": -1},
        {"speck": -1},
        {"speck": math.nan},
        {"tolerance": 0},
        {"tolerance": -0.1},
        {"keep": "most"},
    ],
)
def test_trace_settings_refuse_what_cannot_be(wrong):
    with pytest.raises(EditError):
        TraceSettings(**wrong)
