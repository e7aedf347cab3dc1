"""Files that are too much, packed, cut short or no files: counted before the work, and said."""

import gzip
import io
import math
import os

import ezdxf
import numpy as np
import pytest

from silhueta.core.errors import FileError, GeometryError, PictureError
from silhueta.core.files import inspect_file, limits
from silhueta.core.files.drawing_open import on_page
from silhueta.core.files.inspect_file import read_drawing
from silhueta.core.picture.clean import crop_box
from silhueta.core.picture.decode import read_picture_file
from silhueta.core.steps import Crop

_BOX = '<rect x="10" y="10" width="50" height="40"/>'


def _svg(body):
    return f'<svg xmlns="http://www.w3.org/2000/svg" width="99mm" height="99mm">{body}</svg>'


@pytest.fixture
def file(tmp_path):
    def made(name, data):
        target = tmp_path / name
        target.write_bytes(data if isinstance(data, bytes) else data.encode())
        return target

    return made


def _rows(many):
    spaced = {"row_spacing": 5, "column_spacing": 5}
    return {"row_count": many, "column_count": many, **spaced}


def _dxf(document):
    text = io.StringIO()
    document.write(text)
    return text.getvalue()


def test_an_empty_block_however_often_is_nothing(file):
    document = ezdxf.new()
    document.blocks.new("NONE")
    document.modelspace().add_line((0, 0), (9, 0))
    document.modelspace().add_blockref("NONE", (0, 0), dxfattribs=_rows(30_000))
    assert len(read_drawing(file("a.dxf", _dxf(document))).paths) == 1


def test_blocks_are_counted_before_they_are_unfolded(file):
    document = ezdxf.new()
    document.blocks.new("ONE").add_circle((0, 0), 1)
    document.modelspace().add_blockref("ONE", (0, 0), dxfattribs=_rows(300))
    with pytest.raises(FileError, match="over 50,000 shapes"):
        read_drawing(file("a.dxf", _dxf(document)))


def test_lines_are_counted_before_they_are_read(file):
    line = "0\nLINE\n8\n0\n10\n0\n20\n0\n11\n1\n21\n1\n"
    data = f"0\nSECTION\n2\nENTITIES\n{line * 71_000}0\nENDSEC\n0\nEOF\n"
    with pytest.raises(FileError, match="over 50,000 shapes"):
        read_drawing(file("a.dxf", data))


def test_a_spline_through_too_many_points_is_refused(file):
    document = ezdxf.new()
    document.modelspace().add_spline([(i, math.sin(i)) for i in range(2001)])
    with pytest.raises(FileError, match=r"2,001 points.*as a polyline"):
        read_drawing(file("a.dxf", _dxf(document)))


def test_a_dxf_without_its_end_is_cut_short(file):
    document = ezdxf.new()
    document.modelspace().add_circle((0, 0), 5)
    whole = _dxf(document)
    with pytest.raises(FileError, match="cut short"):
        read_drawing(file("a.dxf", whole[: whole.rindex("ENTITIES")]))


def test_numbers_of_paths_are_counted_before_they_are_read(file, monkeypatch):
    monkeypatch.setattr("silhueta.core.files.svg_read.MOST_NUMBERS", 20)
    body = '<path id="p" d="M1 1L20 1L20-5.5.5z"/>'
    assert read_drawing(file("a.svg", _svg(body))).paths
    with pytest.raises(FileError, match="numbers in its paths"):
        read_drawing(file("a.svg", _svg(body * 2 + '<path d="M0 0L1 1L2 0L3 1"/>')))


def test_what_crosses_itself_too_often_is_said_before_the_memory_is_full(file):
    turns = [i * 2 * math.pi * 1249 / 2500 for i in range(2500)]
    star = "L".join(f"{50 + 49 * math.cos(t):.4f} {50 + 49 * math.sin(t):.4f}" for t in turns)
    drawing = read_drawing(file("a.svg", _svg(f'<path d="M{star}z"/>')))
    with pytest.raises(GeometryError, match=r"30,000 times.*--overlaps lines"):
        on_page(drawing)


@pytest.mark.parametrize(
    "packed",
    [
        lambda text: gzip.compress(text.encode()),
        lambda text: text.encode("utf-16"),
        lambda text: text.encode("utf-16-be").replace(b"\x00<", b"\xfe\xff\x00<", 1),
        lambda text: text.replace("<rect", "<path/><rect").encode(),
    ],
)
def test_other_ways_to_write_the_same_svg_are_read(file, packed):
    assert len(read_drawing(file("a.svg", packed(_svg(_BOX)))).paths) == 1


def test_what_unpacks_without_end_or_is_cut_is_refused(file, monkeypatch):
    monkeypatch.setitem(limits.MOST_BYTES, "SVG", 10_000)
    with pytest.raises(FileError, match="unpacks to over"):
        read_drawing(file("a.svgz", gzip.compress(_svg(_BOX + " " * 20_000).encode())))
    with pytest.raises(FileError, match="packed and cut short"):
        read_drawing(file("a.svgz", gzip.compress(_svg(_BOX).encode())[:-12]))


def test_groups_in_groups_and_broken_xml_are_told_apart(file):
    deep = "<g>" * 300 + _BOX + "</g>" * 300
    with pytest.raises(FileError, match="over 200 deep"):
        read_drawing(file("a.svg", _svg(deep)))
    with pytest.raises(FileError, match=r"line 1, column \d+; save"):
        read_drawing(file("a.svg", _svg('<rect x="1" x="2"/>')))


def test_numbers_that_are_not_finite_cost_one_shape(file):
    found = read_drawing(file("a.svg", _svg(_BOX + '<path d="M0 0L1e999 5L3 9z"/>')))
    assert len(found.paths) == 1
    assert found.left_out == {"damaged shapes": 1}
    assert all(np.isfinite(path.nodes).all() for path in found.paths)


def test_pipes_and_folders_are_no_files(tmp_path):
    pipe = tmp_path / "pipe.png"
    os.mkfifo(pipe)
    for read, kind in ((read_picture_file, PictureError), (inspect_file.read_bytes, FileError)):
        with pytest.raises(kind, match="pipe or a device"):
            read(pipe)
        with pytest.raises(kind, match="is a folder"):
            read(tmp_path)


def test_a_crop_beside_the_picture_says_how_large_that_is():
    assert crop_box((Crop(5, 5, 20, 20),), 60, 80) == (5, 5, 25, 25)
    with pytest.raises(PictureError, match="80 x 60 px"):
        crop_box((Crop(500, 500, 20, 20),), 60, 80)
