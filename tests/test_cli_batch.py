"""Many pictures through one recipe: it goes on, stops, resumes, and says what came of each."""

from __future__ import annotations

import csv
import html.parser
import signal
import subprocess
import sys
import textwrap
import time
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest

from silhueta.core.datums import DpiDatum, PageDatum, RoundDatum
from silhueta.core.errors import FileError
from silhueta.core.files.job_file import load_job
from silhueta.core.inspect_settings import Limits
from silhueta.core.job import Job, TraceSettings
from silhueta.core.keep.batch import COLUMNS, named_apart, run
from silhueta.core.keep.batch import Limits as Most
from silhueta.core.keep.recipe import Recipe, read_recipe
from silhueta.core.keep.recipe_from import recipe_from

RECIPE = """
[trace]
dpi = 254

[true]
true = "safe"

[inspect]
process = "laser"
thickness = "3mm"

[output]
formats = ["dxf", "svg"]
"""


@pytest.fixture
def scans(tmp_path):
    """Four scans of plates, so many pixels wide at ten a mm; one file that is no picture."""
    folder = tmp_path / "scans"
    folder.mkdir()
    for k, wide in enumerate((300, 400, 500, 600)):
        picture = np.full((500, 800), 255, np.uint8)
        picture[100:300, 100 : 100 + wide] = 0
        cv2.circle(picture, (200, 200), 50, 255, -1)
        cv2.imwrite(str(folder / f"scan {k}.png"), picture)
    (folder / "broken & <b>.png").write_bytes(b"no picture at all")
    (folder / "notes.txt").write_text("no picture, and not taken for one")
    (tmp_path / "recipe.toml").write_text(RECIPE)
    return folder


def rows_of(report: Path) -> dict[str, dict[str, str]]:
    with report.open(newline="") as stream:
        reader = csv.DictReader(stream)
        assert tuple(reader.fieldnames or ()) == COLUMNS
        return {row["file"]: row for row in reader}


def test_all_are_done_but_what_is_none(call, scans, tmp_path):
    out, report, page = tmp_path / "out", tmp_path / "r.csv", tmp_path / "r.html"
    words = (scans, "--recipe", tmp_path / "recipe.toml", "-o", out, "--report", report)
    code, told, said = call("batch", *words, "--page", page, "-j", 2)
    assert code == 3
    assert "1 picture of 5 failed" in said
    assert len(told.splitlines()) == 5
    rows = rows_of(report)
    assert len(rows) == 5
    for k, wide in enumerate((30, 40, 50, 60)):
        row = rows[f"scan {k}.png"]
        assert (row["state"], row["loops"], row["error"]) == ("done", "2", "")
        off = 2 * float(row["width_sigma_mm"])
        assert float(row["width_mm"]) == pytest.approx(wide, abs=off)
        assert float(row["height_mm"]) == pytest.approx(20, abs=2 * float(row["height_sigma_mm"]))
        assert row["findings"].isdigit()
        assert {f"scan {k}.{end}" for end in ("dxf", "svg", "silhueta")} <= {
            one.name for one in out.iterdir()
        }
        assert load_job(out / f"scan {k}.silhueta").picture is not None
    bad = rows["broken & <b>.png"]
    assert bad["state"] == "failed"
    assert "is not a picture" in bad["error"]
    html.parser.HTMLParser().feed(page.read_text())
    assert "broken &amp; &lt;b&gt;.png" in page.read_text()
    assert page.read_text().count("data:image/png") == 4
    assert "30.00 ±" in page.read_text()
    # once more, nothing is done twice, and what failed is tried again
    (scans / "broken & <b>.png").write_bytes((scans / "scan 0.png").read_bytes())
    (scans / "scan 1.png").write_bytes((scans / "scan 3.png").read_bytes())
    code, told, said = call("batch", *words, "--resume")
    assert code == 0
    assert "3 pictures done already" in said
    assert {line.split("/")[1][2:-5] for line in told.splitlines()} == {
        "broken & <b>.png",
        "scan 1.png",
    }
    assert float(rows_of(report)["scan 1.png"]["width_mm"]) == pytest.approx(60, abs=0.2)
    (tmp_path / "recipe.toml").write_text(RECIPE.replace("254", "508"))
    assert len(call("batch", *words, "--resume")[1].splitlines()) == 5  # it is another recipe


def test_a_stopped_run_tells_what_is_done_and_goes_on_from_there(scans, tmp_path, call):
    for k in range(4, 24):
        (scans / f"scan {k}.png").write_bytes((scans / "scan 0.png").read_bytes())
    call_ = "from silhueta.cli import main; main()"
    words = ["batch", scans, "--recipe", tmp_path / "recipe.toml", "-o", tmp_path / "out"]
    words += ["--report", tmp_path / "r.csv", "-j", "1"]
    command = [sys.executable, "-u", "-c", call_, *map(str, words)]
    with subprocess.Popen(
        command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    ) as one:
        assert one.stdout is not None
        assert one.stdout.readline()
        assert one.stdout.readline()
        one.send_signal(signal.SIGTERM)
        one.communicate()
    done = rows_of(tmp_path / "r.csv")
    assert 2 <= len(done) < 25
    # killed in the midst of a line it goes on, too
    with (tmp_path / "out" / "batch.jsonl").open("a") as log:
        log.write('{"path": "/half')
    code, told, _ = call(*words, "--resume")
    assert code == 3
    good = sum(row["state"] == "done" for row in done.values())
    assert len(told.splitlines()) == 25 - good
    assert len(rows_of(tmp_path / "r.csv")) == 25


SLOW = """
import json, sys, time
for line in sys.stdin:
    task = json.loads(line)
    if task["file"] == "slow":
        time.sleep(60)
    if task["file"] == "dies":
        sys.exit(1)
    if task["file"] == "garbage":
        print("[1, 2"); sys.stdout.flush(); continue
    if task["file"] == "eats":
        try:
            bytearray(10**11)
        except MemoryError:
            sys.exit(1)
    print(json.dumps({"file": task["file"], "state": "done"})); sys.stdout.flush()
"""


def test_each_file_has_limits_of_its_own():
    names = ["a", "slow", "b", "dies", "c", "garbage", "eats", "d"]
    begin = time.monotonic()
    told = run([{"file": name} for name in names], [sys.executable, "-c", SLOW], 2, Most(2.0))
    rows = {task["file"]: row for task, row in told}
    assert time.monotonic() - begin < 50  # the slow one sleeps for a minute
    assert {name for name, row in rows.items() if row.state == "done"} == set("abcd")
    assert "longer than 2 s" in rows["slow"].error
    assert "memory" in rows["dies"].error


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("[trace\n", "no TOML"),
        ("[fold]\nx = 1\n", "none of the steps"),
        ("[trace]\ncolour_of_money = 3\n", "no option colour-of-money"),
        ("[trace]\nreport = 'x.json'\n", "no option report"),
        ("[trace]\ndpi = {a = 1}\n", "neither text"),
        ("[output]\nformats = ['exe']\n", "no format exe"),
        ("[output]\nformats = []\n", "list of endings"),
        ("[output]\nformats = ['nc']\n", "needs a plan"),
        ("trace = 3\n", "is a table"),
    ],
)
def test_a_recipe_that_is_none_is_said_before_anything_is_done(call, scans, tmp_path, text, says):
    (tmp_path / "bad.toml").write_text(text)
    code, _, said = call("batch", scans, "--recipe", tmp_path / "bad.toml", "-o", tmp_path / "out")
    assert code == 1
    assert says in said
    assert "bad.toml" in said
    assert not (tmp_path / "out" / "batch.jsonl").exists()


def test_a_recipe_of_a_job_and_back(tmp_path):
    settings = TraceSettings(mode="band", band=(40, 90), tolerance=0.2, keep="outer")
    job = Job(datums=(DpiDatum(300),), trace=settings, inspect=Limits("router", 6.0, 3.175))
    taken = recipe_from(job)
    (tmp_path / "r.toml").write_text(taken.recipe.text())
    assert read_recipe(tmp_path / "r.toml") == taken.recipe
    assert taken.recipe.words("trace") == [
        "--dpi", "300", "--band", "40-90", "--tolerance", "0.2mm", "--keep", "outer",
    ]  # fmt: skip
    assert taken.recipe.words("inspect") == [
        "--process", "router", "--thickness", "6mm", "--bit", "3.175mm",
    ]  # fmt: skip
    assert taken.left == ()
    marked = replace(job, datums=(RoundDatum((9, 9), (4, 4), 0.0, 10.0),))
    assert recipe_from(marked).left == ("lengths marked in the picture",)
    page = replace(job, datums=(PageDatum("a4", (210, 297), (2480, 3508)),))
    assert recipe_from(page).recipe.words("trace")[:2] == ["--page", "a4"]
    with pytest.raises(FileError, match="cannot read"):
        read_recipe(tmp_path / "none.toml")
    assert Recipe({"trace": {"png-ground": False, "colour": ["#ff0000", "#00ff00"]}}).words(
        "trace"
    ) == ["--no-png-ground", "--colour", "#ff0000", "--colour", "#00ff00"]


def test_outputs_of_pictures_with_one_name_are_numbered():
    assert named_apart([Path("a/x.png"), Path("b/x.jpg"), Path("y.png"), Path("X.tif")]) == [
        "x", "x-2", "y", "X-3",
    ]  # fmt: skip


SPREAD = """
    import sys
    from distributed import LocalCluster
    from silhueta.cli import main

    if __name__ == "__main__":
        how = {"n_workers": 1, "threads_per_worker": 2, "dashboard_address": None}
        with LocalCluster(**how) as cluster:
            sys.argv = ["silhueta", *sys.argv[1:], "--scheduler", cluster.scheduler_address]
            main()
"""


def test_more_machines_by_dask(scans, tmp_path):
    pytest.importorskip("distributed")
    (tmp_path / "spread.py").write_text(textwrap.dedent(SPREAD))
    words = ("batch", scans, "--recipe", tmp_path / "recipe.toml", "-o", tmp_path / "out")
    report = ("--report", tmp_path / "r.csv")
    command = [sys.executable, tmp_path / "spread.py", *words, *report]
    ended = subprocess.run(command, capture_output=True, text=True, check=False)
    assert ended.returncode == 3, ended.stderr
    states = {name: row["state"] for name, row in rows_of(tmp_path / "r.csv").items()}
    assert states.pop("broken & <b>.png") == "failed"
    assert set(states.values()) == {"done"}
    command[1:2] = ["-c", "from silhueta.cli import main; main()"]
    ended = subprocess.run([*command, "--scheduler", "nonsense"], capture_output=True, text=True)
    assert ended.returncode == 1
    assert "no scheduler" in ended.stderr
