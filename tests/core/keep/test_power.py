"""Power cuts, by a disk that loses what was not synced: the last synced step always comes back."""

from __future__ import annotations

import os

import numpy as np

from benchmarks.kept import cuts
from benchmarks.power import Disk
from silhueta.core.files.atomic import write_whole


def test_nothing_that_was_synced_is_lost():
    found = cuts(8)
    assert found.pop("power cuts") == 8
    assert set(found.values()) == {0.0}


def test_the_disk_of_this_test_does_lose_things(tmp_path):
    (tmp_path / "disk").mkdir()
    disk = Disk(tmp_path / "disk")
    with disk.watched():
        (tmp_path / "disk" / "plain").write_bytes(b"never synced")
        write_whole(tmp_path / "disk" / "whole", b"synced, and its name too")
    assert disk.syncs >= 2
    lost = 0
    for seed in range(30):
        disk.cut(tmp_path / "after", np.random.default_rng(seed))
        assert (tmp_path / "after" / "whole").read_bytes() == b"synced, and its name too"
        plain = tmp_path / "after" / "plain"
        lost += not plain.exists() or plain.read_bytes() != b"never synced"
    assert 5 < lost < 30
    assert os.fsync.__module__ != "benchmarks.power"  # it is no longer watched
