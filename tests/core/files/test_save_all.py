"""All that a job leads to, in one folder: names, what is told, and what fails by itself."""

from __future__ import annotations

import errno
from dataclasses import replace
from pathlib import Path

import pytest

from silhueta.core.cutting.planned import planned
from silhueta.core.cutting.program import motions
from silhueta.core.cutting.timing import times
from silhueta.core.files.save_all import outputs, save_all, stem_of
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import circle_loop
from silhueta.core.inspect_settings import Limits
from silhueta.core.job import Job
from silhueta.core.plan_settings import Tool
from tests.conftest import square


def made(job: Job):
    plan = planned(job)
    return plan, times(motions(plan), plan.machine)


def lid(name: str = "Lid") -> Job:
    loops = (square(60), circle_loop((20, 20), 8))
    outline = Outline(tuple(map(Contour, loops)))
    return Job(name, outline=outline, inspect=Limits("router", 6.0, 4.0))


@pytest.mark.parametrize(
    ("name", "stem"),
    [
        ("Lid / No. 3", "lid_no_3"),
        ("../../etc/x", "etc_x"),
        ("C:\\lid?*", "c_lid"),
        ("Étrier nº 2", "étrier_nº_2"),
        ("...", "part"),
        ("", "part"),
        ("a" * 300, "a" * 60),
    ],
)
def test_any_name_is_a_file_in_its_folder(tmp_path, name, stem):
    assert stem_of(name) == stem
    job = lid(name)
    for one in outputs(job, None, tmp_path):
        assert one.target.parent == tmp_path
        assert one.target.name.startswith(stem)


def test_without_a_plan_there_is_the_outline_alone(tmp_path):
    kept = save_all(outputs(lid(), None, tmp_path))
    assert [one.name for one in kept] == ["lid.dxf", "lid-proof.pdf", "lid.png"]
    assert not any(one.fault for one in kept)
    assert sorted(file.name for file in tmp_path.iterdir()) == sorted(one.name for one in kept)


def test_a_program_for_each_tool_where_it_was_chosen_or_the_machine_changes_none(tmp_path):
    job = lid()
    bits = (Tool(1, "drill", 16.0), Tool(2, "flat", 4.0))
    plan = replace(job.plan, tools=bits, drill_up_to=16.0)
    job = replace(job, plan=plan)
    whole, spent = made(job)
    assert len(whole.tools) == 2

    def programs(job, plan):
        found = outputs(job, (plan, spent), tmp_path)
        return [one.target.name for one in found if one.target.suffix == ".nc"]

    each = ["lid-1-drill.nc", "lid-2-profile.nc"]
    assert programs(job, whole) == ["lid.nc"]
    chosen = replace(job, cut_file=job.cut_file.choosing("nc.split", True))
    assert programs(chosen, whole) == each
    none = replace(whole, machine=replace(whole.machine, tool_change=False))
    assert programs(job, none) == each
    kept = save_all(outputs(job, (none, spent), tmp_path))
    assert not any(one.fault for one in kept)


def test_a_full_disk_is_told_of_each_file_and_leaves_nothing_half_written(tmp_path, monkeypatch):
    files = outputs(lid(), made(lid()), tmp_path)
    replaced = Path.replace

    def full(self, target):
        if str(target).endswith((".pdf", ".nc")):
            raise OSError(errno.ENOSPC, "No space left on device")
        return replaced(self, target)

    monkeypatch.setattr(Path, "replace", full)
    kept = save_all(files)
    wrong = {one.name for one in kept if one.fault}
    assert wrong == {"lid.nc", "lid-setup.pdf", "lid-proof.pdf"}
    assert all("was not written" in one.text for one in kept if one.fault)
    assert {file.name for file in tmp_path.iterdir()} == {one.name for one in kept} - wrong
