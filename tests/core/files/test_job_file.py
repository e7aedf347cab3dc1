import json
import zipfile
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image

from silhueta.core.datums import DpiDatum, LengthDatum, OverallDatum, PixelDatum
from silhueta.core.errors import FileError, SilhuetaError
from silhueta.core.files.job_file import (
    FORMAT,
    job_bytes,
    job_from_bytes,
    load_job,
    load_marks,
    save_job,
)
from silhueta.core.files.job_record import job_of_record, record_bytes
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import ARC, CUBIC, Loop, OpenPath
from silhueta.core.job import (
    CutFileSettings,
    Inputs,
    Job,
    Patch,
    PictureFile,
    TraceSettings,
    TraceStamp,
    is_stale,
)
from tests.conftest import encoded, square

CURVED = Loop(
    np.array([[0, 0], [10, 0.1], [7, 1 / 3]]),
    np.array([ARC, CUBIC, 0]),
    np.array([0.123456789012345, 0, 0]),
    np.array([np.zeros((2, 2)), [[9, 3], [8, 2.5]], np.zeros((2, 2))]),
)


def full_job() -> Job:
    datums = (
        LengthDatum((1.5, 2), (300, 2.25), 86.5),
        OverallDatum("height", 7),
        DpiDatum(300, "file"),
        PixelDatum(0.1),
    )
    trace = TraceSettings(117, True, 2.5, 0.05, "outer+holes")
    return Job(
        name="Rudder strap, Porto Lume",
        picture=PictureFile(bytes(range(256)) * 40, "strap 1.png"),
        datums=datums,
        trace=trace,
        outline=Outline(
            (
                Contour(CURVED),
                Contour(OpenPath(np.array([[0, 0], [1e-9, 5.0]])), False, "mark", "drawn", True),
            )
        ),
        traced=TraceStamp(Inputs(datums, trace), 0.0846666, 116.5, 14, 0.03),
        cut_file=CutFileSettings("in", "picture").choosing("dxf.version", "R12"),
    )


def test_everything_comes_back(tmp_path):
    job = full_job()
    save_job(job, tmp_path / "strap.silhueta")
    back = load_job(tmp_path / "strap.silhueta")
    for name in ("name", "datums", "trace", "traced", "cut_file"):
        assert getattr(back, name) == getattr(job, name)
    assert back.picture is not None
    assert job.picture is not None
    assert (back.picture.data, back.picture.name) == (job.picture.data, job.picture.name)
    for one, two in zip(back.outline.contours, job.outline.contours, strict=True):
        assert type(one.path) is type(two.path)
        for array in ("nodes", "kinds", "bulges", "controls"):
            assert np.array_equal(
                getattr(one.path, array), getattr(two.path, array)
            )  # to the last bit
        assert (one.taken, one.operation, one.origin, one.locked) == (
            two.taken,
            two.operation,
            two.origin,
            two.locked,
        )
    assert not is_stale(back)


def test_all_that_trace_can_be_told_comes_back():
    trace = TraceSettings(
        mode="colour",
        colours=((200, 30, 40), (1, 2, 3)),
        colour_distance=12.5,
        pinhole=0.25,
        pen="inner",
        close_gaps=1.5,
        fit="curves",
        smooth=0.3,
        corner=20.0,
        many=True,
        patches=(Patch(((1.0, 2.0), (30.0, 2.0), (30.0, 9.0)), "local", window=7.0, invert=True),),
    )
    coloured = Contour(CURVED, colour=(20, 52, 77))
    stamp = TraceStamp(
        Inputs((), trace), 0.1, 90.0, 3, 0.2, rims=1, noise_mm=0.01, kept=2, replaced=5
    )
    job = Job(trace=trace, outline=Outline((coloured,)), traced=stamp)
    back = job_from_bytes(job_bytes(job), "x")
    assert back.trace == trace
    assert back.traced == stamp
    assert back.outline.contours[0].colour == (20, 52, 77)


def test_a_job_of_the_format_before_opens_with_what_is_new_left_as_usual(tmp_path):
    save_job(full_job(), tmp_path / "now.silhueta")
    with zipfile.ZipFile(tmp_path / "now.silhueta") as archive:
        content = json.loads(archive.read("job.json"))
        picture = archive.read("picture/strap 1.png")
    known = {"threshold", "invert", "speck", "tolerance", "keep"}
    content["format"] = 2
    content["traced"].update(content["traced"].pop("inputs"))
    for settings in (content["trace"], content["traced"]["settings"]):
        for name in set(settings) - known:
            del settings[name]
    for name in ("deviation_mean", "deviation_p95", "noise_mm", "rims", "kept", "replaced"):
        content["traced"].pop(name, None)
    for contour in content["outline"]:
        contour.pop("colour", None)
    with zipfile.ZipFile(tmp_path / "then.silhueta", "w") as archive:
        archive.writestr("job.json", json.dumps(content))
        archive.writestr("picture/strap 1.png", picture)
    back = load_job(tmp_path / "then.silhueta")
    assert back.trace == full_job().trace
    assert not is_stale(back)


@pytest.mark.parametrize(
    ("where", "value"),
    [
        ("mode", "magic"),
        ("band", [200.0, 100.0]),
        ("split", 99),
        ("patches", [{"points": [[0.0, 0.0], [1.0, 1.0]]}]),
        ("colours", [[1, 2]]),
    ],
)
def test_settings_of_a_strangers_job_that_cannot_be_are_refused(tmp_path, where, value):
    save_job(full_job(), tmp_path / "a.silhueta")
    with zipfile.ZipFile(tmp_path / "a.silhueta") as archive:
        content = json.loads(archive.read("job.json"))
        picture = archive.read("picture/strap 1.png")
    content["trace"][where] = value
    with zipfile.ZipFile(tmp_path / "b.silhueta", "w") as archive:
        archive.writestr("job.json", json.dumps(content))
        archive.writestr("picture/strap 1.png", picture)
    with pytest.raises(SilhuetaError):
        load_job(tmp_path / "b.silhueta")


def test_an_empty_job_comes_back():
    assert job_from_bytes(job_bytes(Job()), "x").picture is None


def test_the_container_is_open_and_readable(tmp_path):
    save_job(full_job(), tmp_path / "strap.silhueta")
    with zipfile.ZipFile(tmp_path / "strap.silhueta") as archive:
        members = ["job.json", "picture/strap 1.png", "outline.svg", "preview.png"]
        assert archive.namelist() == members
        content = json.loads(archive.read("job.json"))
    assert content["format"] == FORMAT
    assert content["datums"][1] == {"kind": "overall", "axis": "height", "mm": 7}


def changed(**members: bytes) -> bytes:
    import io

    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w") as archive:
        for name, content in members.items():
            archive.writestr(name.replace("_json", ".json"), content)
    return stream.getvalue()


def record(**changes: object) -> bytes:
    with zipfile.ZipFile(__import__("io").BytesIO(job_bytes(Job()))) as archive:
        content = json.loads(archive.read("job.json"))
    return json.dumps({**content, **changes}).encode()


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"not a zip", "cut short or no job file"),
        (job_bytes(full_job())[:4000], "cut short or no job file"),
        (changed(other=b"1"), "damaged"),
        (changed(job_json=b"{"), "damaged"),
        (changed(job_json=record(format=FORMAT + 1)), "newer Silhueta"),
        (changed(job_json=record(picture="picture/gone.png")), "damaged"),
        (changed(job_json=record(page=10**30)), "damaged"),
        (changed(job_json=record(page=-5)), "damaged"),
        (changed(job_json=record(datums=[{"kind": "dpi", "dpi": -3}])), "damaged"),
        (changed(job_json=record(datums=[{"kind": "moon"}])), "damaged"),
        (changed(job_json=record(trace={"threshold": 900})), "damaged"),
        (
            changed(
                job_json=record(
                    outline=[{"closed": True, "nodes": [[0, 0]], "kinds": [0], "bulges": [0]}]
                )
            ),
            "damaged",
        ),
    ],
)
def test_what_is_no_good_job_file_is_said_to_be_none(tmp_path, data, says):
    (tmp_path / "strap.silhueta").write_bytes(data)
    with pytest.raises(FileError, match=says) as caught:
        load_job(tmp_path / "strap.silhueta")
    assert "strap.silhueta" in str(caught.value)
    assert "\n" not in str(caught.value)


def test_every_cut_of_a_job_file_is_refused(tmp_path):
    whole = job_bytes(full_job())
    for end in range(0, len(whole) - 1, 97):
        with pytest.raises(FileError):
            job_from_bytes(whole[:end], "strap.silhueta")


def test_a_save_that_cannot_be_leaves_the_old_one(tmp_path):
    with pytest.raises(FileError, match="cannot write"):
        save_job(full_job(), tmp_path / "gone" / "strap.silhueta")


def test_marks_are_kept_beside_the_job(tmp_path):
    picture = encoded(Image.fromarray(np.full((20, 30), 200, np.uint8)), "PNG")
    before = Job("Plate", picture, (PixelDatum(0.1),), outline=Outline((Contour(square(3)),)))
    after = replace(before, outline=Outline((Contour(square(2), chosen=True, taken=False),)))
    target = tmp_path / "plate.silhueta"
    save_job(after, target, {"before": before, "the same": after})
    marks = load_marks(target)
    assert list(marks) == ["before", "the same"]
    assert marks["before"].picture.data == picture.data
    assert bounding_box([marks["before"].outline.contours[0].path]) == (0, 0, 3, 3)
    (kept,) = load_job(target).outline.contours
    assert (kept.taken, kept.chosen) == (False, True)
    save_job(after, target)
    assert load_marks(target) == {}


def test_damaged_marks_are_told(tmp_path):
    target = tmp_path / "plate.silhueta"
    save_job(Job(outline=Outline((Contour(square(3)),))), target, {"one": Job()})
    with zipfile.ZipFile(target) as archive:
        job = archive.read("job.json")
    with zipfile.ZipFile(target, "w") as archive:
        archive.writestr("job.json", job)
        archive.writestr("marks.json", '{"one": {"format": 3}}')
    with pytest.raises(FileError, match="marks"):
        load_marks(target)


def test_the_record_of_a_job_is_small_and_finds_its_picture_again():
    heavy = full_job()
    assert heavy.picture is not None
    photo = replace(heavy.picture, data=heavy.picture.data + bytes(5_000_000))
    job = replace(heavy, picture=photo)
    record = record_bytes(job)
    assert len(record) < 20_000
    back = job_of_record(record, photo, "the journal")
    assert back.picture is photo
    again = record_bytes(back)  # with 7 as 7.0
    assert record_bytes(job_of_record(again, photo, "the journal")) == again
    with pytest.raises(FileError, match="the journal is damaged"):
        job_of_record(record[:-20], photo, "the journal")
