"""Whether anything is lost: kills at random moments, power cuts, long histories, many jobs.

    python -m benchmarks.kept [SHARE]

A worker edits at random, saves, exports and keeps on the shelf, and notes each of its states with
its time in a file of its own. It is killed; what its journal gives back has to be one of its
states of the last three seconds, and every file it wrote has to be whole.
"""

from __future__ import annotations

import hashlib
import json
import os
import resource
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import ezdxf
import numpy as np

from benchmarks.power import Disk
from silhueta.core.errors import FileError
from silhueta.core.files.job_file import job_bytes, load_job, save_job
from silhueta.core.files.job_record import record_bytes
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, circle_loop
from silhueta.core.job import Job, PictureFile
from silhueta.core.keep.history import Told
from silhueta.core.keep.journal import Journal, read_journal
from silhueta.core.keep.recover import left_behind
from silhueta.core.keep.shelf import Shelf

_MOST_LOST = 3.0  # s


def mark_of(job: Job) -> str:
    """Return some letters that are others for another job."""
    return hashlib.sha256(record_bytes(job)).hexdigest()[:16]


# kills


def work(name: str, seed: int) -> None:
    """Edit, save, export and keep at random until killed; runs in a process of its own."""
    folder = Path(name)
    from PySide6.QtCore import QCoreApplication

    from silhueta.app.keeping import Keeping
    from silhueta.app.session import Session
    from silhueta.core.cutting.drawing import draw
    from silhueta.core.files.export import export

    qt = QCoreApplication([])
    rng = np.random.default_rng(seed)
    picture = PictureFile(rng.bytes(int(rng.integers(10_000, 3_000_000))), "photo.jpg")
    session = Session(replace(Job("begun"), picture=picture))
    keeping = Keeping(session, folder / "journals", session)
    shelf = Shelf(folder / "shelf", folder / "index.sqlite")
    notes = (folder / "notes").open("a")

    def note(what: str) -> None:
        told = {"at": time.time(), "mark": mark_of(session.job), "what": what}
        notes.write(json.dumps(told | {"dirty": session.dirty}) + "\n")
        notes.flush()

    note("begun")
    print("ready", flush=True)
    while keeping is not None:
        kind = rng.random()
        job = session.job
        if kind < 0.6 or not job.outline.contours:
            session.apply(f"Draw {rng.integers(999)}", lambda job: _drawn(job, rng))
        elif kind < 0.75:
            session.apply("Drag", lambda job: _moved(job, rng), "drag")
        elif kind < 0.85:
            session.undo()
        elif kind < 0.88:
            session.mark(f"mark {rng.integers(3)}")
        elif kind < 0.93:
            save_job(session.job, folder / "job.silhueta", session.marks)
            session.mark_saved(session.job, folder / "job.silhueta")
        elif kind < 0.97:
            export(draw(job.outline), folder / "cut.dxf")
        elif (folder / "job.silhueta").is_file():
            shelf.add(folder / "job.silhueta")
            shelf.look()
        note("step")
        qt.processEvents()
        time.sleep(float(rng.exponential(0.02)))


def _drawn(job: Job, rng: np.random.Generator) -> Job:
    made = circle_loop(tuple(rng.uniform(0, 400, 2).tolist()), float(rng.uniform(1, 9)))
    return replace(job, outline=Outline((*job.outline.contours[-60:], Contour(made))))


def _moved(job: Job, rng: np.random.Generator) -> Job:
    first, *rest = job.outline.contours
    path = Loop(first.path.nodes + rng.uniform(-1, 1, 2), first.path.kinds, first.path.bulges)
    return replace(job, outline=Outline((replace(first, path=path), *rest)))


def killed(seed: int) -> dict[str, float]:
    """Return what a kill at a random moment cost."""
    rng = np.random.default_rng(1000 + seed)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        code = f"from benchmarks.kept import work; work({name!r}, {seed})"
        with subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE) as worker:
            assert worker.stdout is not None
            worker.stdout.readline()
            time.sleep(float(rng.uniform(0.05, 4.0)))
            at = time.time()
            os.kill(worker.pid, signal.SIGKILL)
        lines = (folder / "notes").read_text().splitlines()
        notes = []
        for line in lines:  # the last one may be cut
            try:
                notes.append(json.loads(line))
            except ValueError:
                continue
        return _judged(folder, notes, at)


def _judged(folder: Path, notes: list[dict[str, object]], at: float) -> dict[str, float]:
    rows = dict.fromkeys(("lost s", "wrong", "half", "index wrong", "asked twice"), 0.0)
    states = {str(one["mark"]): float(one["at"]) for one in notes}  # type: ignore[arg-type]
    left = left_behind(folder / "journals")
    last = notes[-1]
    if left:
        back = left[0].back
        assert back is not None, left[0].wrong
        mark = mark_of(back.history.job)
        # a state may have been written and not noted yet
        after = mark not in states
        seen = states.get(mark, at)
        newer = [float(one["at"]) for one in notes if float(one["at"]) > seen]  # type: ignore[arg-type]
        rows["lost s"] = at - min(newer) if newer else 0.0
        rows["wrong"] = float(after and back.at < at - 1.0)
        rows["asked twice"] = float(len(left) > 1)
    elif last["dirty"]:
        dirty = [k for k, one in enumerate(notes) if not one["dirty"]]
        first = notes[dirty[-1] + 1] if dirty else notes[0]
        rows["lost s"] = at - float(first["at"])  # type: ignore[arg-type]
    for file in (folder / "job.silhueta", *(folder / "shelf").glob("*.silhueta")):
        if file.is_file():
            try:
                rows["half"] += mark_of(load_job(file)) not in states
            except FileError:
                rows["half"] += 1
    if (folder / "cut.dxf").is_file():
        try:
            ezdxf.readfile(folder / "cut.dxf")
        except (ezdxf.DXFError, OSError):
            rows["half"] += 1
    shelf = Shelf(folder / "shelf", folder / "index.sqlite")
    shelf.look()
    rows["index wrong"] = float(shelf.count() != len(list((folder / "shelf").glob("*.silhueta"))))
    with sqlite3.connect(shelf.index) as index:
        rows["index wrong"] += index.execute("PRAGMA integrity_check").fetchone() != ("ok",)
    return rows


def kills(count: int = 300) -> dict[str, float]:
    """Return what so many kills cost, all in all."""
    with ThreadPoolExecutor(2) as pool:
        rows = list(pool.map(killed, range(count)))
    lost = [row["lost s"] for row in rows]
    told = {name: sum(row[name] for row in rows) for name in rows[0] if name != "lost s"}
    return {
        "kills": float(count),
        "most lost, s": max(lost),
        "lost on average, s": float(np.mean(lost)),
        "kills that lost over 3 s": float(sum(one > _MOST_LOST for one in lost)),
    } | {f"kills: {name}": value for name, value in told.items()}


# power cuts


def cuts(count: int = 100) -> dict[str, float]:
    """Return what power cuts left of journals and of a job that was being saved."""
    wrong = half = lost = 0
    for seed in range(count):
        rng = np.random.default_rng(seed)
        with tempfile.TemporaryDirectory() as name:
            place = Path(name) / "disk"
            place.mkdir()
            disk = Disk(place)
            with disk.watched():
                journal = Journal(place)
                job = replace(Job("a"), picture=PictureFile(rng.bytes(50_000), "p.jpg"))
                told, saved = [Told("began", job)], []
                for k in range(int(rng.integers(2, 30))):
                    job = _drawn(job, rng)
                    told.append(Told("step", job, f"s{k}", False, k + 1, dirty=True))
                    journal.write(told if k == 0 else told[-1:])
                    if rng.random() < 0.3:
                        save_job(job, place / "job.silhueta")
                        saved.append(mark_of(job))
                # a step and a save that the cut comes into
                late = _drawn(job, rng)
                journal._stream.write(journal._framed(Told("step", late, "late", False, 99, True)))
                journal._stream.flush()
                (place / ".job.silhueta.x.part").write_bytes(job_bytes(late)[:500])
            disk.cut(Path(name) / "after", rng)
            journal.close(keep=True)
            after = Path(name) / "after"
            marks = [mark_of(one.job) for one in told[1:]]
            back = (
                read_journal(after / journal.file.name)
                if (after / journal.file.name).is_file()
                else None
            )
            found = None if back is None else mark_of(back.history.job)
            lost += found is None
            wrong += found is not None and found not in (marks[-1], mark_of(late))
            if saved:
                try:
                    half += mark_of(load_job(after / "job.silhueta")) not in saved[-1:]
                except FileError:
                    half += 1
    return {
        "power cuts": float(count),
        "cuts: nothing came back": float(lost),
        "cuts: not the last step that was synced": float(wrong),
        "cuts: the job file is not what was saved last": float(half),
    }


# long and large


def long_history(count: int = 20_000) -> dict[str, float]:
    """Return what so many steps take: memory, time to open, disk, and the interface's share."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        code = f"from benchmarks.kept import _long; _long({name!r}, {count})"
        ended = subprocess.run(
            [sys.executable, "-c", code], capture_output=True, text=True, check=True
        )
        written = json.loads(ended.stdout)
        (file,) = folder.glob("*.journal")
        code = f"from benchmarks.kept import _opened; _opened({str(file)!r})"
        ended = subprocess.run(
            [sys.executable, "-c", code], capture_output=True, text=True, check=True
        )
        opened = json.loads(ended.stdout)
    return {
        f"{count:,} steps: memory of the writer, MiB": written["mib"],
        f"{count:,} steps: of the interface's time, ms a step, 99 %": written["ms"],
        f"{count:,} steps: opened, s": opened["s"],
        f"{count:,} steps: memory of the reader, MiB": opened["mib"],
        f"{count:,} steps: disk, % of saving each": written["share"],
    }


def _told(code: str) -> dict[str, float]:
    command = [sys.executable, "-c", code]
    ended = subprocess.run(command, capture_output=True, text=True, check=True)
    found: dict[str, float] = json.loads(ended.stdout)
    return found


def _long(name: str, count: int) -> None:
    from silhueta.core.keep.history import History, Version
    from silhueta.core.keep.keeper import Keeper

    rng = np.random.default_rng(5)
    loops = tuple(Contour(circle_loop((9.0 * k, 0.0), 4.0)) for k in range(300))
    photo = PictureFile(rng.bytes(3_000_000), "photo.jpg")
    job = Job("long", picture=photo, outline=Outline(loops))
    keeper = Keeper(Path(name), print)
    keeper.tell(History((Version("", job),), 0, {}))
    spent, whole = [], 0
    for k in range(count):
        contours = list(job.outline.contours)
        n = int(rng.integers(len(contours)))
        old = contours[n].path
        moved = Loop(old.nodes + 0.1, old.kinds, old.bulges)
        contours[n] = replace(contours[n], path=moved)
        job = replace(job, outline=Outline(tuple(contours)))
        begin = time.perf_counter()
        keeper.tell(Told("step", job, f"Move {k}", False, min(k + 1, 499), True))
        spent.append(time.perf_counter() - begin)
        if k % 500 == 0:
            whole += 500 * len(job_bytes(job))
            keeper.wait(60)
    keeper.wait(120)
    keeper.end(keep=True)
    (file,) = Path(name).glob("*.journal")
    size = file.stat().st_size
    mib = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    ms = 1000 * float(np.percentile(spent, 99))
    print(json.dumps({"mib": mib, "ms": ms, "share": 100 * size / whole}))


def _opened(file: str) -> None:
    begin = time.perf_counter()
    back = read_journal(Path(file))
    assert back is not None
    spent = time.perf_counter() - begin
    mib = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(json.dumps({"s": spent, "mib": mib, "steps": back.steps}))


def saving() -> dict[str, float]:
    """Return how long a job with a photo of 12 megapixels takes to save, s, median of five."""
    import cv2

    rng = np.random.default_rng(6)
    grey = cv2.GaussianBlur(rng.integers(0, 255, (3000, 4000, 3), np.uint8), (0, 0), 1.5)
    data = cv2.imencode(".jpg", grey, [cv2.IMWRITE_JPEG_QUALITY, 92])[1].tobytes()
    loops = [circle_loop((12.0 * k, 0.0), 5.0) for k in range(25)]
    t = np.linspace(0, 2 * np.pi, 800, endpoint=False)
    wave = np.column_stack([200 + 150 * np.cos(t), 9 * np.sin(7 * t) + 99 * np.sin(t)])
    loops.append(Loop(wave))
    job = replace(Job("x", PictureFile(data, "a.jpg")), outline=Outline(tuple(map(Contour, loops))))
    with tempfile.TemporaryDirectory() as name:
        spent = [_timed(lambda: save_job(job, Path(name) / "a.silhueta")) for _ in range(6)]
    return {"a job of 12 megapixels saved and read back, s": float(np.median(spent[1:]))}


def shelf(count: int = 5000) -> dict[str, float]:
    """Return how long a shelf of so many jobs takes to index and to search."""
    rng = np.random.default_rng(7)
    names = [
        *("heron", "anchor", "rudder", "cleat", "gasket"),
        *("strap", "emblem", "gull", "wheel"),
    ]
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "shelf"
        folder.mkdir()
        for k in range(count):
            wide, high = rng.uniform(20, 400, 2)
            plate = Loop(np.array([[0, 0], [wide, 0], [wide, high], [0, high]]))
            hole = circle_loop((wide / 2, high / 2), min(wide, high) / 5)
            outline = Outline((Contour(plate), Contour(hole)))
            job = replace(Job(f"{rng.choice(names)} {k}"), outline=outline)
            (folder / f"job-{k}.silhueta").write_bytes(job_bytes(job))
        kept = Shelf(folder, Path(name) / "index.sqlite")
        built = _timed(kept.rebuild)
        looked = _timed(kept.look)
        spent = []
        for k in range(200):
            words = f"{rng.choice(names)[: 2 + k % 4]}"
            text = (words, f"{words} {k}", f"{rng.integers(20, 400)} x {rng.integers(20, 400)}")[
                k % 3
            ]
            spent.append(_timed(lambda t=text: kept.find(t)))  # type: ignore[misc]
        shutil.rmtree(folder)
    return {
        f"{count:,} jobs indexed, s": built,
        f"{count:,} jobs looked at again, s": looked,
        f"{count:,} jobs searched, ms, 95 %": 1000 * float(np.percentile(spent, 95)),
        f"{count:,} jobs searched, ms, most": 1000 * max(spent),
    }


def together(count: int = 24) -> dict[str, float]:
    """Return how well two processes share a batch: once one's time over twice two's, %."""
    import cv2

    rng = np.random.default_rng(8)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "scans").mkdir()
        for k in range(count):
            grey = np.full((3508, 2480), 250, np.uint8)
            for _ in range(30):
                x, y = rng.integers(200, 2200), rng.integers(200, 3200)
                cv2.circle(grey, (int(x), int(y)), int(rng.integers(20, 160)), 20, -1, cv2.LINE_AA)
            cv2.imwrite(str(folder / "scans" / f"{k}.png"), grey)
        (folder / "r.toml").write_text(
            "[trace]\ndpi = 300\nthreshold = 128\n[true]\ntrue = 'safe'\n"
        )
        spent = []
        for processes in (1, 2):
            call = "from silhueta.cli import main; main()"
            out = f"{name}/out{processes}"
            words = ["batch", f"{name}/scans", "--recipe", f"{name}/r.toml", "-o", out]
            command = [sys.executable, "-c", call, *words, "-j", str(processes)]
            begin = time.perf_counter()
            subprocess.run(command, check=True, capture_output=True)
            spent.append(time.perf_counter() - begin)
    return {
        f"{count} scans of 9 megapixels by one process, s": spent[0],
        "by two, s": spent[1],
        "efficiency of two, %": 100 * spent[0] / (2 * spent[1]),
    }


def _timed(do: Callable[[], object]) -> float:
    begin = time.perf_counter()
    do()
    return time.perf_counter() - begin


def run(share: float = 1.0) -> dict[str, float]:
    """Return everything; `share` of the usual numbers."""

    def some(count: int) -> int:
        return max(2, round(count * share))

    return (
        cuts(some(100)) | saving() | long_history(some(20_000)) | shelf(some(5000)) | together()
        | kills(some(300))
    )  # fmt: skip


if __name__ == "__main__":
    for name, value in run(float(sys.argv[1]) if len(sys.argv) > 1 else 1.0).items():
        print(f"{name}: {value:.4f}", flush=True)
