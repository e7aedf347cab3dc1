"""Nothing lost, and last month's heron larger: a kill, a full disk, a shelf of 200."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import textwrap
from contextlib import suppress
from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from silhueta.app.files import Filing
from silhueta.app.keeping import Keeping
from silhueta.core.card import Card
from silhueta.core.files.inspect_file import inspect_file
from silhueta.core.files.job_file import load_job, save_job
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import circle_loop
from silhueta.core.job import Job
from silhueta.core.keep.places import under
from silhueta.demo.drawings import heron_job
from tests.conftest import square
from tests.journeys.conftest import inspected, planned, rehearsed

ALT = Qt.KeyboardModifier.AltModifier
CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def kept(hand, tmp_path):
    """The hand's window with places of its own, and a shelf of 200 jobs, one of them the heron."""
    window = hand.window
    places = under(tmp_path / "places")
    places.shelf.mkdir(parents=True)
    window.shelving._places = places
    window.keeping = Keeping(window.session, places.journals, window)
    hand.window.filing.open_demo("heron")
    hand.settle()
    heron = window.session.job
    assert len(heron.outline.taken) > 3
    card = Card("From the pencil drawing", ("bird", "garden"), customer="Cais Novo")
    save_job(replace(heron, name="Heron", card=card), places.shelf / "heron.silhueta")
    rng = np.random.default_rng(11)
    for k in range(199):
        wide, high = rng.uniform(20, 300, 2)
        hole = circle_loop((wide / 2, high / 2), min(wide, high) / 5)
        plate = type(hole)(square(1).nodes * [wide, high])
        job = replace(Job(f"Plate {k}"), outline=Outline((Contour(plate), Contour(hole))))
        save_job(job, places.shelf / f"plate-{k}.silhueta")
    window.filing.show(type("Opened", (), {
        "picture": None, "colours": None, "job": Job(), "file": None, "marks": {},
    })())  # fmt: skip
    hand.settle()
    return places


def back(hand):
    """Give the window the keys again, as a desktop does when a dialog closes."""
    hand.settle()
    hand.window.activateWindow()
    hand.wait(hand.window.isActiveWindow)


def find(hand, words):
    dialog = hand.window.shelving.dialog
    QTest.keyClicks(dialog.search, words)
    assert [one.name for one in dialog.jobs.entries] == ["Heron"]
    assert not dialog.jobs.picture(dialog.chosen, 100).isNull()
    button = dialog.findChild(QPushButton, "shelf-copy")
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def test_journey_k_last_months_heron_larger(hand, act, kept, tmp_path):
    window = hand.window
    act("shelf", hand.key, Qt.Key.Key_B, CTRL)
    assert len(window.shelving.dialog.jobs.entries) == 200
    act("found by a word", find, hand, "gard")
    back(hand)
    assert window.session.job.name == "Heron"
    assert window.session.file is None
    hand.key(Qt.Key.Key_6, ALT)
    hand.click("choice-place")
    hand.settle()
    place = window.sheets["build"].place
    act("larger", hand.type, place.percent, "400 mm")
    left, _, right, _ = window.session.job.outline.bounds
    assert right - left == pytest.approx(400, abs=1e-6)
    act("side by side", hand.click, "copy")  # two across, as the page proposes
    left, _, right, _ = window.session.job.outline.bounds
    assert right - left == pytest.approx(805, abs=1e-6)
    act("inspect", inspected, hand)
    plan = act("plan", planned, hand, "laser", "3 mm", "0.2 mm", "plywood")
    assert len(plan.entries) >= 2
    hand.answer = tmp_path / "herons.dxf"
    hand.click("choice-file")
    act("save", hand.click, "next")
    assert len(act.done) <= 7
    assert inspect_file(tmp_path / "herons.dxf")["size_mm"][0] == pytest.approx(805, abs=0.5)
    done = rehearsed(hand)
    assert done.pieces >= 2
    assert load_job(kept.shelf / "heron.silhueta").name == "Heron"  # the kept one is as it was


LEAVER = """
    import os, sys
    from pathlib import Path
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from PySide6.QtCore import Qt
    from PySide6.QtTest import QTest
    from silhueta.app.main import application, work_done
    from silhueta.app.window import Window
    from silhueta.core.keep.places import under
    application()
    window = Window(None, under(Path(sys.argv[1])))
    window.show()
    window.filing.open_demo()
    work_done(window)
    QTest.keyClick(window, Qt.Key.Key_4, Qt.KeyboardModifier.AltModifier)
    table = window.table
    job = window.session.job
    node = job.outline.taken[0].nodes[0]
    from PySide6.QtCore import QPointF
    at = table.view.to_screen(QPointF(*node)).toPoint()
    QTest.mouseMove(table, at)
    QTest.mouseClick(table, Qt.MouseButton.LeftButton, pos=at)
    window.session.mark("before the mistake")
    QTest.keyClick(table, Qt.Key.Key_Delete)
    work_done(window)
    print(len(window.session.job.outline.contours), window.session.undo_label, flush=True)
    window.keeping.wait()
    print("kept", flush=True)
    import time; time.sleep(60)
"""


def test_journey_i_the_mistake_and_the_power_cut(hand, tmp_path, monkeypatch):
    command = [sys.executable, "-c", textwrap.dedent(LEAVER), str(tmp_path)]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as one:
        assert one.stdout is not None
        count, _, label = one.stdout.readline().strip().partition(" ")
        assert label != "None"
        assert one.stdout.readline() == "kept\n"
        os.kill(one.pid, signal.SIGKILL)
    window, places = hand.window, under(tmp_path)
    window.recovery._folder = places.journals
    window.recovery.look()
    hand.settle()
    dialog = window.recovery.dialog
    QTest.mouseClick(dialog.findChild(QPushButton, "left-go-on"), Qt.MouseButton.LeftButton)
    back(hand)
    assert len(window.session.job.outline.contours) == int(count)
    assert window.session.undo_label == label
    assert window.session.marks.keys() == {"before the mistake"}
    hand.key(Qt.Key.Key_Z, CTRL)  # one way back
    assert window.session.redo_label == label
    window.session.go_to_mark("before the mistake")
    hand.answer = tmp_path / "gasket.silhueta"
    monkeypatch.setattr(Filing, "_folder", lambda _: tmp_path)
    window.actions_.run("save")
    hand.settle()
    assert load_job(tmp_path / "gasket.silhueta").outline.contours
    assert heron_job().name  # demos are as they were


def test_journey_i_a_disk_that_is_really_full(hand, tmp_path):
    full = tmp_path / "full"
    full.mkdir()
    mounted = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=3m", "tmpfs", full], capture_output=True, check=False
    )
    if mounted.returncode:
        pytest.skip("this machine lets nobody mount a small disk")
    try:
        window = hand.window
        window.filing.open_demo()
        hand.settle()
        window.keeping = Keeping(window.session, under(tmp_path).journals, window)
        window.session.apply("Name it", lambda job: replace(job, name="kept"))
        assert window.keeping.wait()
        with suppress(OSError), (full / "fill").open("wb", 0) as fill:
            while True:
                fill.write(bytes(4096))
        hand.answer = full / "gasket.silhueta"
        window.actions_.run("save")
        hand.settle()
        assert "no space left" in window.notice.text
        assert "your steps are kept" in window.notice.text
        assert window.session.dirty
        assert [one.name for one in full.iterdir()] == ["fill"]
        (full / "fill").unlink()
        window.actions_.run("save")
        hand.settle()
        assert load_job(full / "gasket.silhueta").name == "kept"
        window.keeping.close()
    finally:
        subprocess.run(["umount", full], check=True)
