"""The list of loops: a thumbnail, what it is, and whether it is cut."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from weakref import WeakKeyDictionary

from PySide6.QtCore import (
    QAbstractListModel,
    QEvent,
    QModelIndex,
    QPersistentModelIndex,
    QPointF,
    QRect,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import (
    QContextMenuEvent,
    QFont,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPen,
    QPixmap,
    QPolygonF,
    QTransform,
)
from PySide6.QtWidgets import (
    QFrame,
    QListView,
    QMenu,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QWidget,
)

from silhueta.app.look.theme import BRASS, CARD, FAINT, INK, PAPER, PENCIL, RULE, WHITE, font
from silhueta.app.table.heavy import HeavyPath
from silhueta.app.table.outline_layer import painted
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import Path
from silhueta.core.tidy.choose import Row
from silhueta.core.units import Unit, format_area, format_length
from silhueta.core.wording import counted

_HIGH = 46
_THUMB = 34
_STATE = 52  # px of the button that says what is done along a loop
_NAMES = {"outer": "Outer", "hole": "Hole", "island": "Island", "open": "Open"}
_DOINGS = {"cut": "Cut it", "skip": "Skip it", "engrave": "Engrave inside", "mark": "Mark along it"}
_PICTURES: WeakKeyDictionary[Path, QPixmap] = WeakKeyDictionary()

_Index = QModelIndex | QPersistentModelIndex


class LoopModel(QAbstractListModel):
    """Rows of loops, in the order and the choice that the worksheet wants."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.rows: list[Row] = []
        self.outline = Outline()
        self.units: Unit = "mm"

    def show_rows(self, rows: Sequence[Row], outline: Outline, units: Unit) -> None:
        """Show these rows of `outline`."""
        self.outline, self.units = outline, units
        if [(row.index, row.key) for row in rows] == [(row.index, row.key) for row in self.rows]:
            self.rows = list(rows)  # the same loops: the view stays where it is
            if rows:
                self.dataChanged.emit(self.index(0), self.index(len(rows) - 1))
            return
        self.beginResetModel()
        self.rows = list(rows)
        self.endResetModel()

    def rowCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008
        """Return how many loops are shown."""
        return 0 if parent.isValid() else len(self.rows)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        """Return what a reader of the screen reads aloud."""
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            row = self.rows[index.row()]
            return "; ".join((*self.lines(row), row.operation if row.taken else "skip"))
        if role == Qt.ItemDataRole.ToolTipRole:
            return "Right button: cut, skip, engrave or mark this loop"
        return None

    def lines(self, row: Row) -> tuple[str, str]:
        """Return the two lines that tell a loop."""
        wide, high = (format_length(side, self.units, 1) for side in row.size)
        unit = " mm" if self.units == "mm" else " in"
        # what is engraved or marked is no hole and no part, whatever it lies in
        is_part = row.operation == "cut" or not row.taken or row.role == "open"
        name = _NAMES[row.role] if is_part else "Loop"
        what = f"{name} {wide.removesuffix(unit)} × {high}"
        extent = (
            format_area(row.area, self.units, 0 if self.units == "mm" else 2)
            if row.area
            else f"{format_length(row.length, self.units, 1)} long"
        )
        more = ", locked" if row.locked else ""
        return what, f"{extent}, {counted(row.nodes, 'node')}{more}"


class _Delegate(QStyledItemDelegate):
    """Paints a row."""

    def sizeHint(self, option: QStyleOptionViewItem, index: _Index) -> QSize:
        """Return the height that all rows have."""
        return QSize(200, _HIGH)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: _Index) -> None:
        """Paint thumbnail, two lines, and the state as a word."""
        model = index.model()
        assert isinstance(model, LoopModel)
        row = model.rows[index.row()]
        box: QRect = option.rect
        state: QStyle.StateFlag = option.state
        painter.save()
        chosen = bool(state & QStyle.StateFlag.State_Selected)
        over = bool(state & QStyle.StateFlag.State_MouseOver)
        painter.fillRect(box, PAPER if chosen or over else WHITE)
        if chosen:
            painter.fillRect(QRect(box.left(), box.top(), 4, box.height()), BRASS)
        picture = thumbnail(model.outline.contours[row.index].path)
        painter.setOpacity(1.0 if row.taken else 0.45)
        painter.drawPixmap(QPointF(box.left() + 8, box.top() + 6), picture)
        what, more = model.lines(row)
        left = box.left() + _THUMB + 14
        painter.setPen(INK)
        painter.setFont(font(14, QFont.Weight.Medium, narrow=True))
        painter.drawText(QPointF(left, box.top() + 20), what)
        painter.setPen(FAINT)
        painter.setFont(font(13, narrow=True))
        painter.drawText(QPointF(left, box.top() + 37), more)
        painter.setOpacity(1.0)
        button = QRectF(state_box(box))
        painter.setPen(QPen(PENCIL if row.taken else RULE, 1))
        painter.setBrush(PENCIL if row.taken else CARD)
        painter.drawRoundedRect(button, 4, 4)
        painter.setPen(WHITE if row.taken else INK)
        weight = QFont.Weight.DemiBold if row.taken else QFont.Weight.Normal
        painter.setFont(font(13, weight, narrow=row.operation != "cut"))
        word = row.operation if row.taken else "skip"
        painter.drawText(button, Qt.AlignmentFlag.AlignCenter, word)
        painter.setPen(QPen(RULE, 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        painter.restore()


def state_box(box: QRect) -> QRect:
    """Return where in a row's box the button is."""
    return QRect(box.right() - _STATE - 2, box.top() + 9, _STATE, _HIGH - 18)


class LoopList(QListView):
    """The rows; a click on the state changes it, elsewhere it shows the place.

    A click with the right button, or the menu key, offers all that can be done along a loop.
    """

    toggled = Signal(int)  # the contour
    wanted = Signal(int, str)  # the contour, and what is to be done: "cut", "skip", ...
    pointed = Signal(object)  # the contour under the cursor, or None
    chosen = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.model_ = LoopModel(self)
        self.setModel(self.model_)
        self.setItemDelegate(_Delegate(self))
        self.setUniformItemSizes(True)
        self.setMouseTracking(True)
        self.setAccessibleName("Loops")
        self.setFrameShape(QFrame.Shape.StyledPanel)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMinimumHeight(5 * _HIGH)

    def show_loop(self, contour: int | None) -> None:
        """Light up the row of a contour, where it is listed."""
        for number, row in enumerate(self.model_.rows):
            if row.index == contour:
                self.setCurrentIndex(self.model_.index(number))
                return
        self.clearSelection()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Cut or skip, or choose."""
        index = self.indexAt(event.position().toPoint())
        super().mousePressEvent(event)
        if not index.isValid() or event.button() != Qt.MouseButton.LeftButton:
            return
        contour = self.model_.rows[index.row()].index
        if state_box(self.visualRect(index)).contains(event.position().toPoint()):
            self.toggled.emit(contour)
        else:
            self.chosen.emit(contour)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Offer what can be done along the loop under the cursor, or the current one."""
        by_mouse = event.reason() == QContextMenuEvent.Reason.Mouse
        index = self.indexAt(event.pos()) if by_mouse else self.currentIndex()
        if not index.isValid():
            return
        contour = self.model_.rows[index.row()].index
        menu = QMenu(self)
        menu.setObjectName("loop-menu")
        for what, text in _DOINGS.items():
            menu.addAction(text, partial(self.wanted.emit, contour, what))
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(
            event.globalPos() if by_mouse else self.mapToGlobal(self.visualRect(index).center())
        )

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Tell which loop the cursor is on."""
        super().mouseMoveEvent(event)
        index = self.indexAt(event.position().toPoint())
        self.pointed.emit(self.model_.rows[index.row()].index if index.isValid() else None)

    def leaveEvent(self, event: QEvent) -> None:
        """Tell that the cursor is gone."""
        super().leaveEvent(event)
        self.pointed.emit(None)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Cut or skip the current loop by Enter."""
        index = self.currentIndex()
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and index.isValid():
            self.toggled.emit(self.model_.rows[index.row()].index)
            return
        super().keyPressEvent(event)


def thumbnail(path: Path) -> QPixmap:
    """Return a small picture of a path, made once."""
    if path in _PICTURES:
        return _PICTURES[path]
    made = painted(path)
    if isinstance(made, HeavyPath):
        step = max(1, len(made.points) // 400)
        shape = QPainterPath()
        shape.addPolygon(QPolygonF([QPointF(*p) for p in made.points[::step].tolist()]))
    else:
        shape = made
    box = shape.boundingRect()
    size = max(box.width(), box.height(), 1e-9)
    scale = (_THUMB - 4) / size
    transform = QTransform(
        scale, 0, 0, -scale,
        _THUMB / 2 - scale * box.center().x(), _THUMB / 2 + scale * box.center().y(),
    )  # fmt: skip
    picture = QPixmap(2 * _THUMB, 2 * _THUMB)
    picture.setDevicePixelRatio(2.0)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(PENCIL, 1.4))
    if path.closed:
        painter.setBrush(RULE)
    painter.drawPath(transform.map(shape))
    painter.end()
    _PICTURES[path] = picture
    return picture
