"""Job files seen by others: zipinfo lists them, resvg and svgelements draw their outline."""

import io
import re
import shutil
import subprocess
import zipfile
from dataclasses import replace

import numpy as np
import pytest
import resvg_py
import svgelements
from PIL import Image

from silhueta.core.files.job_file import save_job
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import circle_loop
from silhueta.core.job import Job
from tests.conftest import square


@pytest.fixture
def kept(tmp_path):
    """A job of a plate of 80 mm with a hole of 10 mm radius, as its file."""
    loops = (square(80), circle_loop((30, 30), 10))
    save_job(replace(Job("Pläte"), outline=Outline(tuple(map(Contour, loops)))), tmp_path / "p.zip")
    return tmp_path / "p.zip"


def test_another_reader_of_archives_lists_and_tests_it(kept):
    if shutil.which("zipinfo") is None:
        pytest.skip("zipinfo is not on this machine")
    told = subprocess.run(["zipinfo", "-l", kept], capture_output=True, text=True, check=True)
    names = re.findall(r"\S+$", told.stdout, re.MULTILINE)
    assert {"job.json", "outline.svg", "preview.png"} <= set(names)
    subprocess.run(["unzip", "-tq", kept], capture_output=True, check=True)


def test_the_outline_in_it_is_drawn_at_its_size_by_others(kept):
    with zipfile.ZipFile(kept) as archive:
        text = archive.read("outline.svg").decode()
        Image.open(archive.open("preview.png")).verify()
    page = svgelements.SVG.parse(io.StringIO(text), ppi=25.4)
    assert (page.width, page.height) == pytest.approx((80, 80), abs=0.01)
    found = [abs(one) for one in page.elements() if isinstance(one, svgelements.Shape)]
    left, bottom, right, top = (
        f(values) for f, values in zip(
            (min, min, max, max), zip(*(one.bbox() for one in found), strict=True), strict=True
        )
    )  # fmt: skip
    assert (right - left, top - bottom) == pytest.approx((80, 80), abs=0.01)
    shown = resvg_py.svg_to_bytes(svg_string=text, dpi=254)  # ten pixels a mm
    ink = np.asarray(Image.open(io.BytesIO(bytes(shown))).convert("RGBA"))[..., 3] > 127
    assert ink.shape == (800, 800)
    # the hole's middle lies 30 mm from the lower left, and it is 20 mm wide
    assert np.flatnonzero(~ink[500]).tolist() == list(range(200, 400))
    assert np.flatnonzero(~ink[:, 300]).tolist() == list(range(400, 600))
