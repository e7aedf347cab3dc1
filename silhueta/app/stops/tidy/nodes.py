"""Part of the Tidy worksheet: what is done to chosen nodes and segments."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from silhueta.app.session import Session
from silhueta.app.table.node_tool import NodeTool
from silhueta.app.table.pen_tool import PenTool
from silhueta.app.table.table import Table
from silhueta.app.widgets import Choice, Field, Note, heading, row
from silhueta.core.errors import SilhuetaError, UnitsError
from silhueta.core.geometry.path import ARC, CUBIC, LINE, OpenPath, Path
from silhueta.core.job import Job
from silhueta.core.tidy import node_edits
from silhueta.core.tidy.node_edits import Pick
from silhueta.core.tidy.redo import add_drawn, redo_stretch
from silhueta.core.truing.carry import carried
from silhueta.core.units import format_length, parse_length
from silhueta.core.wording import counted

_KINDS = {"line": LINE, "arc": ARC, "curve": CUBIC}


class TidyNodes(QWidget):
    """Buttons that are on where they can do something, and say why where they cannot."""

    wrong = Signal(str)

    def __init__(self, session: Session, table: Table, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._table = session, table
        self.tool = NodeTool(self)
        self.pen = PenTool(self)
        self.what = Note(parent=self)

        def place(text: str) -> float:
            return _signed(text, session)

        self.x_field, self.y_field = Field("x", place, self), Field("y", place, self)
        self.step = Field("Arrow keys move", lambda t: parse_length(t, session.units), self)
        self.dx_field, self.dy_field = Field("dx", place, self), Field("dy", place, self)
        for field in (self.x_field, self.y_field, self.dx_field, self.dy_field, self.step):
            field.setFixedWidth(90)
        self.kind = Choice("Segment is", {"line": "Line", "arc": "Arc", "curve": "Curve"}, self)
        self._buttons: dict[str, tuple[QPushButton, Callable[[], str]]] = {}
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(5)
        self.draw = QPushButton("Edge pen", self)
        self.draw.setToolTip("Draw a new line by clicks, along the picture's edge between them")
        self.redo = QPushButton("Redo a stretch", self)
        self.redo.setToolTip("Draw a stretch of a line anew, from one place on it to another")
        for button, name in ((self.draw, "edge-pen"), (self.redo, "redo-stretch")):
            button.setObjectName(name)
            button.setCheckable(True)
            button.setStyleSheet("padding: 2px 6px")
        inside.addLayout(row(self.draw, self.redo))
        inside.addWidget(self.what)
        inside.addLayout(row(heading("x"), self.x_field, heading("y"), self.y_field, None))
        inside.addLayout(row(heading("dx"), self.dx_field, heading("dy"), self.dy_field, None))
        inside.addLayout(row(heading("Arrow keys move"), None, self.step))
        inside.addWidget(heading("Nodes", self))
        inside.addLayout(row(*(self._button(*b) for b in self._node_buttons()[:2])))
        inside.addLayout(row(*(self._button(*b) for b in self._node_buttons()[2:4])))
        inside.addLayout(row(*(self._button(*b) for b in self._node_buttons()[4:6])))
        inside.addLayout(row(*(self._button(*b) for b in self._node_buttons()[6:])))
        inside.addWidget(heading("Segment", self))
        inside.addWidget(self.kind)
        inside.addLayout(row(*(self._button(*b) for b in self._segment_buttons())))
        inside.addWidget(heading("Ends", self))
        inside.addLayout(row(*(self._button(*b) for b in self._end_buttons())))
        inside.addWidget(heading("Whole loop", self))
        inside.addLayout(row(*(self._button(*b) for b in self._loop_buttons())))
        inside.addStretch(1)
        self.kind.chosen.connect(self._set_kind)
        self.x_field.typed.connect(lambda v: self._move_to(v, None))
        self.y_field.typed.connect(lambda v: self._move_to(None, v))
        self.dx_field.typed.connect(lambda v: self._move_by(v, 0.0))
        self.dy_field.typed.connect(lambda v: self._move_by(0.0, v))
        self.step.typed.connect(self._set_step)
        for field in (self.x_field, self.y_field, self.dx_field, self.dy_field, self.step):
            field.wrong.connect(self.wrong)
        self.draw.clicked.connect(lambda on: self._draw(on, redo=False))
        self.redo.clicked.connect(lambda on: self._draw(on, redo=True))
        self.pen.given_up.connect(lambda: self._draw(False, redo=False))
        self.pen.failed.connect(self.wrong)
        self.pen.finished.connect(self._take_drawn)
        self.tool.chosen.connect(lambda: self.refresh(session.job))
        self.tool.edited.connect(self._apply)

    # which buttons there are: name, text, tip, what it does, why it cannot

    def _node_buttons(self) -> list[tuple[str, str, str, Callable[[], None], Callable[[], str]]]:
        tool = self.tool
        return [
            (
                "delete-nodes", "Delete", "Delete, staying near the shape", tool.delete,
                self._no_nodes,
            ),
            (
                "straighten", "Straighten", "Delete, with a line in their place",
                lambda: tool.delete(straight=True), self._no_nodes,
            ),
            ("smooth", "Smooth", "Make the path smooth here", self._smooth, self._no_nodes),
            ("sharp", "Corner", "Make a corner here", self._sharp, self._no_nodes),
            ("break", "Break", "Break the path at this node", self._break, self._not_one),
            (
                "between", "All between", "Choose all nodes between these two",
                self.tool.choose_between, self._not_two,
            ),
            ("show-chosen", "Show", "Bring what is chosen into view", self._show, self._nothing),
            ("start", "Start here", "Let the loop start here", self._start, self._not_one),
        ]  # fmt: skip

    def _segment_buttons(self) -> list[tuple[str, str, str, Callable[[], None], Callable[[], str]]]:
        return [
            ("halve", "Node in middle", "A node more, half-way", self._halve, self._no_segments),
            ("drop-segment", "Delete", "Leave a gap here", self.tool.delete, self._not_a_segment),
        ]

    def _end_buttons(self) -> list[tuple[str, str, str, Callable[[], None], Callable[[], str]]]:
        return [
            (
                "join-line", "Join by line", "A line from end to end",
                lambda: self._join(False), self._not_ends,
            ),
            (
                "join-merge", "Merge", "Both ends half-way",
                lambda: self._join(True), self._not_ends,
            ),
        ]  # fmt: skip

    def _loop_buttons(self) -> list[tuple[str, str, str, Callable[[], None], Callable[[], str]]]:
        return [
            ("at-crossings", "Crossings", "Add nodes where it crosses", self._cross, self._nothing),
            ("reverse", "Reverse", "Run it the other way", self._reverse, self._nothing),
            ("lock", "Lock", "Let nothing change it; again: free it", self._lock, self._nothing),
        ]

    def _button(
        self, name: str, text: str, tip: str, do: Callable[[], None], why: Callable[[], str]
    ) -> QPushButton:
        button = QPushButton(text, self)
        button.setObjectName(name)
        button.setStyleSheet("padding: 2px 6px")
        button.setProperty("tip", tip)
        button.clicked.connect(lambda _=False: do())
        self._buttons[name] = (button, why)
        return button

    # why not

    def _no_nodes(self) -> str:
        return "" if self.tool.nodes else "choose nodes on the table first"

    def _not_one(self) -> str:
        return "" if len(self.tool.nodes) == 1 else "choose one node first"

    def _not_two(self) -> str:
        two = len(self.tool.nodes) == 2 and len({i for i, _ in self.tool.nodes}) == 1
        return "" if two else "choose two nodes of one path first"

    def _no_segments(self) -> str:
        return "" if self.tool.segments else "choose a segment on the table first"

    def _not_a_segment(self) -> str:
        one = len(self.tool.segments) == 1 and not self.tool.nodes
        return "" if one else "choose one segment first"

    def _not_ends(self) -> str:
        return "" if self._ends() is not None else "choose two ends of open paths first"

    def _nothing(self) -> str:
        return "" if self._contours() else "choose a node or segment of it first"

    def _contours(self) -> set[int]:
        return {i for i, _ in self.tool.nodes | self.tool.segments}

    def _ends(self) -> tuple[Pick, Pick] | None:
        contours = self._session.job.outline.contours
        ends = [
            (i, n)
            for i, n in sorted(self.tool.nodes)
            if i < len(contours)
            and not contours[i].path.closed
            and n in (0, len(contours[i].path.nodes) - 1)
        ]
        return (ends[0], ends[1]) if len(ends) == 2 == len(self.tool.nodes) else None

    # what is drawn

    def current_tool(self) -> NodeTool | PenTool:
        """Return the tool that the table is to have on this page."""
        return self.pen if self.draw.isChecked() or self.redo.isChecked() else self.tool

    def _draw(self, on: bool, redo: bool) -> None:
        self.draw.setChecked(on and not redo)
        self.redo.setChecked(on and redo)
        self.pen.begin(redo)
        self.pen.middle = self._session.job.trace.pen == "centre"
        self.wrong.emit("")
        self._table.set_tool(self.current_tool())
        self._table.setFocus()

    def _take_drawn(self, path: Path, contour: int | None) -> None:
        if contour is None:
            self._apply("Draw a line", lambda job: add_drawn(job, path))
        elif isinstance(path, OpenPath):
            self._apply("Redo a stretch", lambda job: redo_stretch(job, contour, path))

    # what they do

    def _apply(self, label: str, change: Callable[[Job], Job]) -> None:
        try:
            self._session.apply(label, lambda job: carried(job, change(job)))
            self.wrong.emit("")
        except SilhuetaError as error:
            self.wrong.emit(str(error))

    def _smooth(self) -> None:
        nodes = set(self.tool.nodes)
        self._apply("Make smooth", lambda job: node_edits.smooth(job, nodes))

    def _sharp(self) -> None:
        nodes = set(self.tool.nodes)
        self._apply("Make a corner", lambda job: node_edits.sharp(job, nodes))

    def _break(self) -> None:
        (node,) = self.tool.nodes
        self._apply("Break a path", lambda job: node_edits.break_at(job, node))

    def _start(self) -> None:
        (node,) = self.tool.nodes
        self._apply("Start node", lambda job: node_edits.start(job, node))
        self.tool.choose({(node[0], 0)})

    def _halve(self) -> None:
        segments = set(self.tool.segments)
        self._apply("Add nodes", lambda job: node_edits.halve(job, segments))
        self.tool.choose(set())

    def _cross(self) -> None:
        contours = self._contours()
        self._apply("Add nodes", lambda job: node_edits.add_at_crossings(job, contours))

    def _set_kind(self, key: str) -> None:
        segments = set(self.tool.segments)
        self._apply(
            f"Make a segment {'an arc' if key == 'arc' else 'a ' + key}",
            lambda job: node_edits.set_kind(job, segments, _KINDS[key]),
        )

    def _join(self, merge: bool) -> None:
        ends = self._ends()
        if ends is not None:
            self._apply("Join ends", lambda job: node_edits.join(job, *ends, merge=merge))
            self.tool.choose(set())

    def _reverse(self) -> None:
        contours = self._contours()
        self._apply("Reverse", lambda job: node_edits.turn(job, contours))

    def _lock(self) -> None:
        contours = self._contours()
        present = self._session.job.outline.contours
        on = not all(present[i].locked for i in contours)
        label = "Lock" if on else "Unlock"
        self._apply(label, lambda job: node_edits.lock(job, contours, on))

    def _set_step(self, value: float) -> None:
        self.tool.step = value
        self.refresh(self._session.job)

    def _move_to(self, x: float | None, y: float | None) -> None:
        nodes = set(self.tool.nodes)
        here = self._middle()
        if here is None:
            return
        dx, dy = (0.0 if v is None else v - at for v, at in zip((x, y), here, strict=True))
        self._apply("Move nodes", lambda job: node_edits.move(job, nodes, dx, dy))

    def _move_by(self, dx: float, dy: float) -> None:
        nodes = set(self.tool.nodes)
        self._apply("Move nodes", lambda job: node_edits.move(job, nodes, dx, dy))

    def _show(self) -> None:
        box = self.tool.box()
        if box is not None:
            self._table.show_box(box)

    def _middle(self) -> tuple[float, float] | None:
        """Return the middle of the chosen nodes, mm."""
        contours = self._session.job.outline.contours
        places = [contours[i].path.nodes[n] for i, n in self.tool.nodes]
        if not places:
            return None
        return sum(float(p[0]) for p in places) / len(places), sum(
            float(p[1]) for p in places
        ) / len(places)

    # what is shown

    def refresh(self, job: Job) -> None:
        """Show what is chosen, and what can be done to it."""
        self.tool.follow(job.outline)
        units, here = self._session.units, self._middle()
        nodes, segments = len(self.tool.nodes), len(self.tool.segments)
        contours = job.outline.contours
        locked = any(contours[i].locked for i in self._contours())
        text = counted(nodes, "node") if nodes else ""
        if segments:
            text += f"{', ' if text else ''}{counted(segments, 'segment')}"
        self.what.say(
            (f"{text} chosen" if text else "Nothing is chosen") + (", locked." if locked else ".")
        )
        for field, value in ((self.x_field, here and here[0]), (self.y_field, here and here[1])):
            field.setEnabled(here is not None)
            field.show_value("" if value is None else format_length(value, units, 3))
        for field in (self.dx_field, self.dy_field):
            field.setEnabled(here is not None)
            field.show_value("")
        self.step.show_value(format_length(self.tool.step, units, 3))
        kinds = {int(contours[i].path.kinds[k]) for i, k in self.tool.segments}
        self.kind.setEnabled(bool(segments))
        self.kind.setToolTip("" if segments else "choose a segment on the table first")
        if len(kinds) == 1:
            (kind,) = kinds
            self.kind.set_chosen({v: k for k, v in _KINDS.items()}[kind])
        else:
            self.kind.clear_chosen()
        for button, why in self._buttons.values():
            reason = why()
            button.setEnabled(not reason)
            button.setToolTip(reason or str(button.property("tip")))
        self._table.update()


def _signed(text: str, session: Session) -> float:
    """Return a place, mm, on either side of zero."""
    bare = text.strip()
    if not bare:
        raise UnitsError("type a length, such as 12.5 mm")
    if bare[0] in "-−":
        return -parse_length(bare[1:], session.units, zero=True)
    return parse_length(bare, session.units, zero=True)
