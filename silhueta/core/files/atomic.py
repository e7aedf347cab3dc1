"""Files that appear whole or not at all, and are read so."""

from __future__ import annotations

import errno
import json
import os
import shutil
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from contextvars import ContextVar
from glob import escape as glob_escape
from pathlib import Path as File

from silhueta.core.errors import FileError, reason_of
from silhueta.core.files.limits import MOST_FILE
from silhueta.core.whole_file import read_whole

_SUFFIX, _PLAN = ".part", ".plan"
_FORGOTTEN = 3600.0  # s, after which a file that a stopped writer left is cleared away
_waiting: ContextVar[list[tuple[File, File]] | None] = ContextVar("waiting", default=None)


@contextmanager
def all_or_none() -> Iterator[None]:
    """Put what `write_whole` writes within in place together, at the end; or none of it.

    Raises
    ------
    FileError
        If one of the files cannot be put in place; then all stay as they were.

    """
    waiting: list[tuple[File, File]] = []
    token = _waiting.set(waiting)
    try:
        yield
        _put(waiting)
    finally:
        _waiting.reset(token)
        for temporary, _ in waiting:
            temporary.unlink(missing_ok=True)


def _put(waiting: list[tuple[File, File]]) -> None:
    """Put files in place; where one cannot be, bring back those that were there before.

    What is to be done is written down first: whoever is stopped in the midst of it leaves that to
    the next one (`finish_stopped`).
    """
    if len(waiting) < 2:
        for temporary, target in waiting:
            _replace(temporary, target)
        return
    kept: list[File | None] = []
    done = 0
    plan: File | None = None
    try:
        for temporary, target in waiting:
            kept.append(_kept(temporary, target) if target.exists() else None)
        plan = _planned(waiting)
        for temporary, target in waiting:
            temporary.replace(target)
            done += 1
        for folder in {target.parent for _, target in waiting}:
            sync_folder(folder)
    except OSError as error:
        for (_, target), before in zip(waiting[:done], kept, strict=False):
            if before is not None:
                before.replace(target)
            else:
                target.unlink(missing_ok=True)
        failed = done if len(kept) == len(waiting) else len(kept)
        raise _cannot(waiting[failed][1], error) from error
    finally:
        for left in (plan, *kept):
            if left is not None:
                left.unlink(missing_ok=True)


def _replace(temporary: File, target: File) -> None:
    try:
        temporary.replace(target)
    except OSError as error:
        raise _cannot(target, error) from error
    sync_folder(target.parent)


def sync_folder(folder: File) -> None:
    """Have the names in a folder on disk: without that a power cut may lose a file that is there.

    Disks that know no such thing are left as they are.
    """
    with suppress(OSError):
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def _planned(waiting: list[tuple[File, File]]) -> File:
    """Write down which files are to take the place of which, beside the first; return where."""
    plan = waiting[0][0].with_suffix(_PLAN)
    pairs = [[str(temporary.resolve()), str(target.resolve())] for temporary, target in waiting]
    begun = plan.with_name(f"{plan.name}{_SUFFIX}")
    with begun.open("w", encoding="utf-8", errors="surrogateescape") as file:
        file.write(json.dumps({"writer": os.getpid(), "files": pairs}))
        file.flush()
        os.fsync(file.fileno())
    begun.replace(plan)
    return plan


def finish_stopped(folder: File) -> None:
    """Put in place what a writer that was stopped had ready for this folder, and had begun to.

    Only files are touched that such a writer makes: hidden ones that stand beside their target and
    have its name.
    """
    try:
        plans = list(folder.glob(f".*{_PLAN}"))
    except OSError:
        return
    for plan in plans:
        try:
            said = json.loads(plan.read_text(encoding="utf-8", errors="surrogateescape"))
            pairs = [(File(a), File(b)) for a, b in said["files"]]
            if _runs(int(said["writer"])):
                continue
        except (OSError, ValueError, KeyError, TypeError):
            pairs = []
        for temporary, target in pairs:
            own = temporary.name.startswith(f".{target.name}.") and temporary.suffix == _SUFFIX
            if own and temporary.parent == target.parent and temporary.is_file():
                with suppress(OSError):
                    temporary.replace(target)
        with suppress(OSError):
            plan.unlink()


def _runs(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (OSError, OverflowError):
        return process > 0
    return True


def _kept(temporary: File, target: File) -> File:
    """Return another name, or where a disk knows no such thing a copy, of what is there now."""
    before = temporary.with_name(f"{temporary.name[: -len(_SUFFIX)]}.before{_SUFFIX}")
    try:
        os.link(target, before)
    except OSError:  # memory sticks
        shutil.copyfile(target, before)
    return before


# what helps, by what the system said
_REMEDIES = {
    errno.ENOSPC: "make room on that disk, or choose another",
    errno.EDQUOT: "make room in your part of that disk, or choose another",
    errno.EROFS: "that disk can only be read; choose another",
    errno.ENAMETOOLONG: "choose a shorter name",
    errno.EINVAL: 'that disk does not take this name; leave out < > : " / \\ | ? *',
    errno.EILSEQ: "that disk does not take this name; use plain letters",
    errno.EIO: "the disk failed or was taken out; choose another",
    errno.ENODEV: "the disk was taken out; put it in again, or choose another",
    errno.ENXIO: "the disk was taken out; put it in again, or choose another",
}


def _cannot(target: File, error: OSError) -> FileError:
    usual = "choose a folder that exists and that you may write to"
    return FileError(
        f"cannot write {target}: {reason_of(error)}; {_REMEDIES.get(error.errno or 0, usual)}"
    )


def _clear_forgotten(target: File) -> None:
    """Delete what writers of the same file left behind when they were stopped."""
    for left in target.parent.glob(f".{glob_escape(target.name)}.*{_SUFFIX}"):
        try:
            if time.time() - left.stat().st_mtime > _FORGOTTEN:
                left.unlink()
        except OSError:
            continue


def write_whole(target: File, data: bytes, prove: Callable[[bytes], None] | None = None) -> None:
    """Write `data` to `target`: into a file beside it, read back, proven, then put in its place.

    Parameters
    ----------
    target : Path
    data : bytes
    prove : callable of bytes, optional
        Given what the disk gives back; raises when it is not good.

    Raises
    ------
    FileError
        If the folder is missing or may not be written to, the disk is full, or `target` is a
        folder. Whatever `prove` raises. In every case `target` stays as it was.

    """
    temporary: File | None = None
    try:
        target = target.expanduser()
        if target.is_symlink():
            target = target.resolve()  # a link stays one; what it points at is written
        if target.is_dir():
            raise FileError(f"{target} is a folder; give the name of a file in it")
        if target.exists() and not target.is_file():
            raise FileError(f"{target} is no file but a device; give the name of a file")
        if target.exists() and not target.stat().st_mode & 0o222:
            raise FileError(f"{target} is set to be read only; give another name, or allow writing")
        finish_stopped(target.parent)
        _clear_forgotten(target)
        handle, name = tempfile.mkstemp(
            prefix=f".{target.name}.", suffix=_SUFFIX, dir=target.parent
        )
        temporary = File(name)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        if prove is not None:
            prove(temporary.read_bytes())
        with suppress(OSError):  # memory sticks know no modes
            temporary.chmod(_usual_mode(target))
        waiting = _waiting.get()
        if waiting is None:
            temporary.replace(target)
            sync_folder(target.parent)
        else:
            waiting.append((temporary, target))
        temporary = None
    except OSError as error:
        raise _cannot(target, error) from error
    except RuntimeError as error:  # no home folder of that name
        raise FileError(f"cannot write {target}: {error}; give a folder that exists") from error
    finally:
        if temporary is not None:
            temporary.unlink(missing_ok=True)


def _usual_mode(target: File) -> int:
    if target.exists():
        return target.stat().st_mode & 0o777
    mask = os.umask(0)
    os.umask(mask)
    return 0o666 & ~mask


def read_bytes(source: File) -> bytes:
    """Return the bytes of `source`, once what a stopped writer had ready is in place.

    Raises
    ------
    FileError
        If it cannot be read, is empty or over 2 GB, or is no file.

    """
    finish_stopped(source.parent)
    return read_whole(source, MOST_FILE, FileError)
