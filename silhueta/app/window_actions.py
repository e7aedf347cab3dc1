"""What can be done in the window, declared once: menus, keys and Find an action show it."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtGui import QKeySequence

from silhueta.app.actions import Action
from silhueta.app.states import is_imported
from silhueta.app.stops.route import STOPS, key_of

if TYPE_CHECKING:
    from silhueta.app.window import Window

standard = QKeySequence.StandardKey


def all_actions(window: Window) -> tuple[Action, ...]:
    """Return every action of a window."""
    return (
        *_job_actions(window),
        *_view_actions(window),
        *_demo_actions(window),
        *_stop_actions(window),
    )


def _nothing_yet(window: Window) -> str:
    job = window.session.job
    return "" if job.picture is not None or is_imported(job) else "there is no picture yet"


def _job_actions(window: Window) -> tuple[Action, ...]:
    """Return the actions of the job: open, save, undo."""
    return (
        Action(
            "open",
            "Open",
            window.filing.open,
            (standard.Open,),
            words="picture job file photo scan",
        ),
        Action(
            "save",
            "Save",
            window.filing.saving.save,
            (standard.Save,),
            partial(_nothing_yet, window),
            "job file keep",
        ),
        Action(
            "save_as",
            "Save as…",
            window.filing.saving.save_as,
            (standard.SaveAs,),
            partial(_nothing_yet, window),
            "job",
        ),
        Action(
            "undo", "Undo", window.session.undo, (standard.Undo,), window.why_no_undo, "back step"
        ),
        Action(
            "redo",
            "Redo",
            window.session.redo,
            (standard.Redo,),
            window.why_no_redo,
            "forward again",
        ),
        Action("shelf", "Shelf", window.shelving.show, ("Ctrl+B",), words="kept jobs find library"),
        Action(
            "keep",
            "Keep on the shelf…",
            window.shelving.keep,
            (),
            partial(_nothing_yet, window),
            "card customer words",
        ),
        Action(
            "many",
            "Many at once…",
            window.many.show,
            words="batch folder recipe scans overnight",
        ),
        Action(
            "recipe",
            "Save the steps as a recipe…",
            window.many.save_recipe,
            (),
            partial(_nothing_yet, window),
            "batch many toml",
        ),
        Action(
            "recover",
            "Bring back jobs that were left",
            window.recovery.show_all,
            words="crash recover lost power cut journal",
        ),
        Action(
            "paste",
            "Paste a picture",
            window.filing.paste,
            (standard.Paste,),
            words="clipboard screenshot",
        ),
    )


def _view_actions(window: Window) -> tuple[Action, ...]:
    """Return the actions of what is seen, and of the program."""
    return (
        Action(
            "find", "Find an action", window.find_action, ("Ctrl+K",), words="search command help"
        ),
        Action("fit", "Show all", window.table.fit, words="fit zoom whole view"),
        Action(
            "zoom_in", "Zoom in", lambda: window.table.zoom_by(1.4), (standard.ZoomIn, "Ctrl+=")
        ),
        Action("zoom_out", "Zoom out", lambda: window.table.zoom_by(1 / 1.4), (standard.ZoomOut,)),
        Action(
            "lines",
            "Lines only, or the picture",
            lambda: window.fade.flip(),
            words="scribe view fade",
        ),
        Action("mm", "Show lengths in mm", lambda: window.show_units("mm"), words="unit metric"),
        Action(
            "inch", "Show lengths in inches", lambda: window.show_units("in"), words="unit imperial"
        ),
        Action(
            "help",
            "List every action and key",
            window.find_action,
            (standard.HelpContents,),
            words="help",
        ),
        Action("quit", "Quit", lambda: window.leave(), (standard.Quit,), words="leave close"),
    )


def _demo_actions(window: Window) -> tuple[Action, ...]:
    """Return the actions that open the demo jobs."""
    return (
        Action(
            "demo", "Open the demo job", window.filing.open_demo, words="example gasket capstan"
        ),
        Action(
            "demo_strap",
            "Open the demo photo: rudder strap on an A4 sheet",
            lambda: window.filing.open_demo("strap"),
            words="example perspective",
        ),
        Action(
            "demo_cover",
            "Open the demo photo: gasket on the gauge sheet",
            lambda: window.filing.open_demo("cover"),
            words="example perspective lens marks",
        ),
        Action(
            "demo_heron",
            "Open the demo drawing: heron in pencil",
            lambda: window.filing.open_demo("heron"),
            words="example scan pen line centre",
        ),
        Action(
            "practise",
            "Practise with a made-up photo",
            window.filing.practise,
            words="try learn example camera scanner simulated",
        ),
        Action(
            "demo_emblem",
            "Open the demo picture: four-colour emblem",
            lambda: window.filing.open_demo("emblem"),
            words="example colours split screenshot",
        ),
    )


def _stop_actions(window: Window) -> tuple[Action, ...]:
    """Return the actions of the stops, and those that go there."""
    return (
        *(action for stop in STOPS for action in stop.actions(window)),
        *(
            Action(
                f"go_{stop.key}",
                f"Go to {stop.title}",
                partial(window.go, stop.key),
                (key_of(stop),),
                words="stop worksheet",
            )
            for stop in STOPS
        ),
    )
