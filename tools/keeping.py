"""Pictures of what is kept: the shelf, jobs that were left, many at once; from demo data."""

from __future__ import annotations

import tempfile
import time
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
from PySide6.QtTest import QTest

from silhueta.app.main import work_done
from silhueta.app.window import Window
from silhueta.core.card import Card
from silhueta.core.files.job_file import save_job
from silhueta.core.job import Job
from silhueta.core.keep.history import History, Version
from silhueta.core.keep.keeper import Keeper
from silhueta.core.keep.places import Places, under

_DEMOS = {
    "gasket": Card("Between pump and bed", ("capstan", "pump"), "Oficina Maré Alta", "Cais Novo"),
    "heron": Card("From the pencil drawing", ("bird", "garden"), "Oficina Maré Alta"),
    "emblem": Card("Four colours, for the door", ("sign", "harbour"), "Oficina Maré Alta"),
    "strap": Card("Bends over the pintle", ("boat", "rudder"), "Oficina Maré Alta", "Lume"),
    "cover": Card("Measured on the gauge sheet", ("pump", "lid"), "Oficina Maré Alta"),
}
_PATIENCE = 60.0  # s that many pictures may take


def grab(folder: Path) -> None:
    """Grab the shelf, what was left and many at once into a folder."""
    with tempfile.TemporaryDirectory() as name:
        places = under(Path(name))
        places.shelf.mkdir()
        window = Window(None, places)
        window.resize(1280, 800)
        window.show()
        jobs = _jobs(window)
        for which, job in jobs.items():
            save_job(replace(job, card=_DEMOS[which]), places.shelf / f"{which}.silhueta")
        window.shelving.show()
        work_done(window)
        assert window.shelving.dialog is not None
        QTest.qWait(100)
        window.shelving.dialog.grab().save(str(folder / "shelf.png"))
        window.shelving.dialog.close()
        _left(window, places, [jobs["heron"], jobs["strap"]], folder)
        _many(window, Path(name), folder)
        window.session.mark_saved(window.session.job, None)
        window.close()


def _jobs(window: Window) -> dict[str, Job]:
    found = {}
    for which in _DEMOS:
        window.filing.open_demo(which)
        work_done(window)
        work_done(window)
        found[which] = window.session.job
        window.session.mark_saved(window.session.job, None)
    return found


def _left(window: Window, places: Places, jobs: list[Job], folder: Path) -> None:
    """Grab the question about jobs whose windows are gone."""
    for job in jobs:
        keeper = Keeper(places.journals, print)
        first, second = Version("", job), Version("Grow by 2 mm", replace(job))
        keeper.tell(History((first, second), 1, {}))
        keeper.end(keep=True)
    window.recovery.look()
    work_done(window)
    assert window.recovery.dialog is not None
    QTest.qWait(100)
    window.recovery.dialog.grab().save(str(folder / "left-behind.png"))
    window.recovery.dialog.close()


def _many(window: Window, place: Path, folder: Path) -> None:
    """Grab a batch that is done: five scans of plates, and a file that is no picture."""
    (place / "scans").mkdir()
    for k in range(5):
        scan = np.full((900, 1300), 245, np.uint8)
        cv2.rectangle(scan, (120, 120), (620 + 110 * k, 640), 30, -1)
        cv2.circle(scan, (330, 380), 90 + 12 * k, 245, -1, cv2.LINE_AA)
        cv2.imwrite(str(place / "scans" / f"plate-{k + 1}.png"), scan)
    (place / "scans" / "notes.png").write_bytes(b"no picture")
    recipe = "[trace]\ndpi = 300\n[inspect]\nprocess = 'laser'\nthickness = '3mm'\n"
    (place / "recipe.toml").write_text(recipe)
    window.many.show()
    dialog = window.many.dialog
    assert dialog is not None
    for field, name in (("sources", "scans"), ("recipe", "recipe.toml"), ("folder", "out")):
        getattr(dialog, field).setText(str(place / name))
    dialog.start()
    end = time.monotonic() + _PATIENCE
    while dialog.busy and time.monotonic() < end:
        QTest.qWait(50)
    for field, name in (("sources", "Scans"), ("recipe", "laser.toml"), ("folder", "Templates")):
        getattr(dialog, field).setText(name)  # the folder of this moment is nobody's
    QTest.qWait(100)
    dialog.grab().save(str(folder / "many.png"))
    dialog.close()
