"""Options of formats: typed, declared with the format, kept by jobs and commands."""

import json
import zipfile
from dataclasses import replace

import click
import pytest
from click.testing import CliRunner

from silhueta.cli import plan as cli_plan
from silhueta.core.cut_file_settings import CutFileSettings
from silhueta.core.files.dxf import DXF
from silhueta.core.files.format import Choice, Number, YesNo
from silhueta.core.files.job_file import load_job, save_job
from silhueta.core.job import Job

BEAM = replace(
    DXF,
    key="beam",
    title="Beam",
    options=(
        Choice("order", "Order", {"inner": "Inner first", "near": "Nearest first"}),
        Number("pierce-height", "Pierce height", "mm", 0.5, 20.0, 3.0),
        Number("feed", "Feed", "mm/min", 1.0, 20_000.0, 1200.0),
        YesNo("air", "Air assist"),
    ),
)


def values(plan):
    return [BEAM.value(plan, option.name) for option in BEAM.options]


def test_what_nobody_chose_is_usual_and_what_cannot_be_counts_for_nothing():
    assert values(CutFileSettings()) == ["inner", 3.0, 1200.0, False]
    chosen = CutFileSettings().choosing("beam.feed", 900.0).choosing("beam.air", True)
    assert values(chosen) == ["inner", 3.0, 900.0, True]
    wrong = CutFileSettings().choosing("beam.order", "far").choosing("beam.pierce-height", 90.0)
    assert values(wrong.choosing("beam.feed", True)) == ["inner", 3.0, 1200.0, False]


def test_a_job_keeps_them_also_those_of_formats_that_are_not_known(tmp_path):
    plan = CutFileSettings("in").choosing("beam.feed", 900.0).choosing("beam.air", True)
    save_job(Job(cut_file=plan.choosing("dxf.version", "R12")), tmp_path / "a.silhueta")
    assert load_job(tmp_path / "a.silhueta").cut_file == plan.choosing("dxf.version", "R12")


def test_the_version_in_an_older_job_is_still_chosen(tmp_path):
    save_job(Job(), tmp_path / "a.silhueta")
    with zipfile.ZipFile(tmp_path / "a.silhueta") as archive:
        content = json.loads(archive.read("job.json"))
    content["format"] = 5
    content["cut_file"] = {"units": "in", "dxf_version": "R12", "origin": "corner"}
    with zipfile.ZipFile(tmp_path / "b.silhueta", "w") as archive:
        archive.writestr("job.json", json.dumps(content))
    plan = load_job(tmp_path / "b.silhueta").cut_file
    assert (plan.units, DXF.value(plan, "version")) == ("in", "R12")


@pytest.fixture
def told(monkeypatch):
    """Call a command that has the format's options; return the plan, or what refuses it."""
    monkeypatch.setattr(cli_plan, "OUTLINED", (BEAM,))
    monkeypatch.setattr(cli_plan, "EVERY", (BEAM,))
    kept = CutFileSettings("in").choosing("beam.feed", 900.0)
    found = []

    @click.command()
    @cli_plan.cut_file_options
    def write(**_):
        found.append(cli_plan.plan_told(kept))

    def call(*arguments):
        found.clear()
        done = CliRunner().invoke(write, arguments)
        return found[0] if found else done.output

    return call


def test_the_command_line_has_them_and_what_is_not_typed_stays_as_the_job_says(told):
    assert values(told()) == ["inner", 3.0, 900.0, False]
    given = ("--beam-order", "near", "--beam-pierce-height", "1/8in", "--beam-air")
    plan = told(*given, "--beam-feed", "800")
    assert values(plan) == ["near", pytest.approx(3.175), 800.0, True]
    assert plan.units == "in"
    assert "is not in the range" in told("--beam-feed", "0")
    assert "0.5 to 20 mm" in told("--beam-pierce-height", "30mm")
    assert "'far' is not one of" in told("--beam-order", "far")
