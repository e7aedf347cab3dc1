"""Where the window is started."""

from __future__ import annotations

import logging
import os
import sys
import threading
from pathlib import Path as File

from PySide6.QtCore import QEventLoop, QTimer
from PySide6.QtWidgets import QApplication

from silhueta.app.look.theme import apply_theme
from silhueta.app.settings import Preferences, usual_place
from silhueta.app.window import Window

log = logging.getLogger(__name__)
_SOON = 300  # ms after the window is shown: nobody sees that jobs are looked for later
_PATIENCE = 120_000  # ms that a screenshot waits for the trace


def application() -> QApplication:
    """Return the one QApplication, with the product's look."""
    found = QApplication.instance()
    if isinstance(found, QApplication):
        return found
    made = QApplication(sys.argv[:1])
    made.setApplicationName("Silhueta")
    made.setDesktopFileName("silhueta")
    apply_theme(made)
    return made


def run(file: File | None = None) -> int:
    """Show the window, with `file` when it is given; return the exit code."""
    qt = application()
    from silhueta.core.keep.places import usual

    window = Window(Preferences(usual_place()), usual())
    _catch_faults(window)
    window.show()
    # once the window is painted: both load what reads jobs
    QTimer.singleShot(_SOON, window.recovery.look)
    QTimer.singleShot(_SOON, window.shelving.show_recent)
    threading.Thread(target=_warm_up, name="warm-up", daemon=True).start()
    if file is not None:
        window.filing.open_file(file)
    return int(qt.exec())


def run_demo(screenshot: File | None = None) -> int:
    """Show the window with the demo job, or save a picture of it and return."""
    if screenshot is not None:
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    qt = application()
    if screenshot is None:
        from silhueta.core.keep.places import usual

        window = Window(None, usual())
    else:
        window = Window()
    window.show()
    window.filing.open_demo()
    if screenshot is None:
        _catch_faults(window)
        return int(qt.exec())
    done = work_done(window)
    screenshot.parent.mkdir(parents=True, exist_ok=True)
    saved = window.grab().save(str(screenshot))
    window.session.mark_saved(window.session.job, screenshot)
    window.close()
    return 0 if done and saved else 1


def work_done(window: Window) -> bool:
    """Let the window work until nothing is under way; return whether that came about in time."""
    loop = QEventLoop()
    watch, limit = QTimer(), QTimer()
    quiet = [0]

    def look() -> None:
        quiet[0] = 0 if any(bench.busy for bench in window.benches) else quiet[0] + 1
        if quiet[0] >= 4:
            loop.exit(0)

    watch.timeout.connect(look)
    watch.start(40)
    limit.setSingleShot(True)
    limit.timeout.connect(lambda: loop.exit(1))
    limit.start(_PATIENCE)
    return loop.exec() == 0


def _warm_up() -> None:
    """Load what the first trace will need, while the person looks for a file."""
    try:
        from silhueta.core.apart.ask import ready

        ready("silhueta.core.picture.raster")
        import silhueta.core.trace.job_trace  # noqa: F401
    except Exception:
        log.exception("the warm-up failed")


def _catch_faults(window: Window) -> None:
    """Send what nobody caught to the log and a dialog, instead of ending the program."""
    from silhueta.app.fault import Faults
    from silhueta.core.keep.fault_log import keep_log
    from silhueta.core.keep.places import usual

    window.faults = Faults(window, keep_log(usual().log))


def main() -> None:
    """Start the desktop program; a file may be given."""
    arguments = [text for text in sys.argv[1:] if not text.startswith("-")]
    sys.exit(run(File(arguments[0]) if arguments else None))


if __name__ == "__main__":
    main()
