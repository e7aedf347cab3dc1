"""What the program remembers from one day to the next."""

import json

import pytest

from silhueta.app.settings import Preferences, Settings
from silhueta.app.window import Window
from silhueta.core.files.job_file import save_job
from silhueta.core.job import Job


@pytest.fixture
def opened(qtbot):
    def make(file):
        window = Window(Preferences(file))
        qtbot.addWidget(window)
        window.show()
        return window

    return make


def test_unit_size_and_jobs_of_late_are_there_again(opened, qtbot, tmp_path):
    job, place = tmp_path / "rudder strap.silhueta", tmp_path / "of" / "mine.json"
    save_job(Job(name="Rudder strap"), job)
    window = opened(place)
    window.filing.open_file(job)
    qtbot.waitUntil(lambda: window.session.file == job, timeout=10_000)
    window.resize(1100, 700)
    window.show_units("in")
    window.close()
    again = opened(place)
    assert again.session.units == "in"
    assert again.size().toTuple() == (1100, 700)
    button = again.start_card.findChild(object, "start-recent")
    assert button.text() == "rudder strap"
    button.click()
    qtbot.waitUntil(lambda: again.session.file == job, timeout=10_000)
    assert again.session.job.name == "Rudder strap"
    again.close()


@pytest.mark.parametrize(
    "text",
    ["", "{", "[]", "[" * 5000, '{"format": 99, "units": "in"}', '{"format": 1, "window": 7}'],
)
def test_settings_that_cannot_be_read_are_the_usual_ones(tmp_path, text):
    place = tmp_path / "mine.json"
    place.write_text(text)
    kept = Preferences(place)
    assert kept.now == Settings()
    kept.change(units="in")
    assert json.loads(place.read_text())["units"] == "in"
    assert Preferences(place).now.units == "in"


def test_a_place_that_cannot_be_written_to_stops_nobody(tmp_path):
    (tmp_path / "file").write_text("no folder")
    kept = Preferences(tmp_path / "file" / "mine.json")
    kept.change(units="in")
    assert kept.now.units == "in"
