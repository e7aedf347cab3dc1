"""The set-up list: what it says of tools, zeros, sheet and what was let pass; its page."""

from __future__ import annotations

from dataclasses import replace

import pypdfium2
import pytest

from silhueta.core.cutting.planned import planned
from silhueta.core.cutting.program import motions
from silhueta.core.cutting.timing import times
from silhueta.core.errors import FileError
from silhueta.core.files.setup_list import setup_lines, setup_pdf, write_setup
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import circle_loop
from silhueta.core.inspect_settings import Limits, Waved
from silhueta.core.job import Job
from silhueta.core.plan_settings import PlanSettings, Tool
from tests.conftest import square

BITS = (Tool(1, "flat", 6.0), Tool(2, "flat", 6.0, zero="table"))


def made(waved=()):
    loops = (square(100), circle_loop((50, 50), 9), circle_loop((20, 20), 1))
    limits = Limits("router", 12.0, 6.0, (300.0, 200.0), 10.0, material="plywood")
    job = Job(
        "Rudder (1)",
        outline=Outline(tuple(map(Contour, loops))),
        inspect=limits,
        plan=PlanSettings(tools=BITS),
        waved=waved,
    )
    plan = planned(job)
    return job, plan, times(motions(plan), plan.machine)


def test_it_says_what_is_set_to_what_and_what_was_let_pass():
    waved = (Waved("thin-web", (1,), "x", "it is glued", "a web is 1.00 mm wide"),)
    lines = setup_lines(*made(waved))
    told = dict(line.split(": ", 1) for line in lines if ": " in line)
    assert told["Material"] == "plywood"
    assert told["Thickness"] == "12.00 mm"
    assert told["Sheet"] == "300 × 200 mm, margin 10 mm"
    assert told["Unit"].startswith("mm; read as inches")
    assert "2, flat bit 6 mm, Z 0 on the table, 2 cuts, 12 mm deep in 6 passes" in told["Tool"]
    assert told["Waved through"] == "a web is 1.00 mm wide: it is glued"
    assert "does not fit into the hole" in told["Left out"]
    assert told["Time"].endswith("0 tool changes")
    boxes = [line for line in lines if line.startswith("[ ] ")]
    assert any("Z 0 is set on the table" in line for line in boxes)


def test_its_page_is_a_sheet_of_paper_with_the_same_words(tmp_path):
    job, plan, spent = made()
    for paper, size in (("a4", (210, 297)), ("letter", (215.9, 279.4))):
        page = pypdfium2.PdfDocument(setup_pdf(job, plan, spent, paper))[0]
        assert [v * 25.4 / 72 for v in page.get_size()] == pytest.approx(size, abs=0.01)
        text = page.get_textpage().get_text_range()
        assert "Set-up list: Rudder (1)" in text
        assert "flat bit 6 mm" in text
        image = page.render(scale=1).to_numpy()[..., 0]
        assert (image[60:300] < 128).sum() > 200  # the picture of the sheet
    write_setup(job, plan, spent, tmp_path / "s.txt")
    assert (tmp_path / "s.txt").read_text().startswith("Set-up list")
    with pytest.raises(FileError, match=r"\.txt or \.pdf"):
        write_setup(job, plan, spent, tmp_path / "s.doc")
    with pytest.raises(FileError, match="no paper"):
        setup_pdf(job, plan, spent, "b9")
    long = replace(job, waved=tuple(Waved("x", (), "", f"reason {k}") for k in range(90)))
    pages = pypdfium2.PdfDocument(setup_pdf(long, plan, spent))
    assert len(pages) == 2
