"""What is wrong with a machine is said, and a log tells nobody's names unless they are wanted."""

from __future__ import annotations

import logging

import pytest

from silhueta.core.keep.doctor import checks
from silhueta.core.keep.fault_log import keep_log, last_of, told
from silhueta.core.keep.places import under


def test_places_that_cannot_be_written_to_are_named(tmp_path):
    (tmp_path / "journals").write_text("in the way")
    found = {one.name: one for one in checks(under(tmp_path))}
    assert found["journals"].good is False
    assert str(tmp_path / "journals") in found["journals"].told
    assert found["shelf"].good is True
    assert not list((tmp_path / "shelf").iterdir())  # nothing is left of the trial
    assert found["numpy"].told[0].isdigit()


def test_a_display_that_does_not_work_is_said(tmp_path, monkeypatch):
    monkeypatch.delenv("WAYLAND_DISPLAY", raising=False)
    monkeypatch.setenv("QT_QPA_PLATFORM", "offscreen")
    monkeypatch.setenv("DISPLAY", "")
    found = {one.name: one for one in checks(under(tmp_path))}
    assert found["display"].good is True
    monkeypatch.setenv("QT_QPA_PLATFORM", "xcb")
    monkeypatch.setenv("DISPLAY", ":987")
    found = {one.name: one for one in checks(under(tmp_path))}
    assert found["display"].good is False
    assert ":987" in found["display"].told


def test_the_command_says_what_is_wrong(call, tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    code, stdout, _ = call("doctor", "--quick", "--report", tmp_path / "d.json")
    assert (code, "nothing is wrong" in stdout) == (0, True)
    assert (tmp_path / "d.json").is_file()
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "file"))
    code, stdout, _ = call("doctor", "--quick")
    assert code == 3
    assert "NO  journals" in stdout


FAULT = """2026-12-02 10:00:00,123 ERROR silhueta.app: a fault
Traceback (most recent call last):
  File "/home/ana/.local/venv/lib/silhueta/app/files.py", line 12, in open
    read("/home/ana/Clientes/Cais Novo/heron.png")
FileError: cannot read /home/ana/Clientes/Cais Novo/heron.png: “Garça grande” is no job
ValueError: 3 of 4 for part heron-2.DXF
"""


@pytest.mark.parametrize("secret", ["ana", "Clientes", "Cais", "heron", "Garça"])
def test_names_are_left_out_unless_they_are_wanted(secret):
    assert secret in told(FAULT, names=True)
    assert secret not in told(FAULT, names=False)


def test_what_helps_is_left_in():
    shown = told(FAULT, names=False)
    assert 'File "silhueta/app/files.py", line 12, in open' in shown
    assert "ValueError: 3 of 4 for part" in shown
    assert "2026-12-02 10:00:00" in shown


def test_the_log_is_rotated(tmp_path, caplog):
    root = logging.getLogger()
    before = list(root.handlers)
    file = keep_log(tmp_path / "log")
    try:
        for k in range(900):
            logging.getLogger("silhueta.trial").error("fault %d %s", k, "x" * 1000)
        assert last_of(file).rstrip().endswith("x")
        sizes = [one.stat().st_size for one in (tmp_path / "log").iterdir()]
        assert len(sizes) == 3
        assert max(sizes) < 500_000
    finally:
        for handler in [one for one in root.handlers if one not in before]:
            root.removeHandler(handler)
            handler.close()
        caplog.clear()
    assert last_of(tmp_path / "none") == ""
