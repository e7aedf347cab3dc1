"""Colours, type and the style of every control.

From marking out: layout blue, scribed bright lines, brass, paper, pencil. One accent, brass, for
the selection and the next thing to do.
"""

from __future__ import annotations

from functools import cache
from pathlib import Path as File

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication

LAYOUT_BLUE = QColor("#14344d")
SCRIBED = QColor("#f6f2e4")
BRASS = QColor("#c79a3b")
BRASS_DEEP = QColor("#7a5a12")  # brass as text on paper: 5.6:1
PAPER = QColor("#ece8dc")
CARD = QColor("#f7f4e9")
WHITE = QColor("#ffffff")
PENCIL = QColor("#3d4348")
INK = QColor("#24292e")
FAINT = QColor("#5f666c")  # second lines on a card: 5.4:1
CHALK = QColor("#9aa1a6")
RULE = QColor("#cfc8b4")
AMBER = QColor("#c9741c")
AMBER_DEEP = QColor("#8a4a06")  # amber as text on paper: 6.2:1
BENCH = QColor("#d9d5c8")  # the ground under a picture
OUTLINE_ON_PICTURE = QColor("#0d5c8f")
BAND = QColor("#24292e")  # the readout

FAMILY = "Barlow"
NARROW = "Barlow Condensed"
_FONTS = File(__file__).parents[2] / "fonts"


@cache
def load_fonts() -> None:
    """Make the shipped fonts known to Qt; once."""
    for font in sorted(_FONTS.glob("Barlow*.ttf")):
        QFontDatabase.addApplicationFont(str(font))


def font(pixels: int, weight: QFont.Weight = QFont.Weight.Normal, narrow: bool = False) -> QFont:
    """Return the product's font at a size in px, with figures of equal width."""
    made = QFont(NARROW if narrow else FAMILY)
    made.setPixelSize(pixels)
    made.setWeight(weight)
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


def blend(one: QColor, two: QColor, share: float) -> QColor:
    """Return the colour `share` (0 to 1) of the way from one to two."""
    return QColor.fromRgbF(
        one.redF() + share * (two.redF() - one.redF()),
        one.greenF() + share * (two.greenF() - one.greenF()),
        one.blueF() + share * (two.blueF() - one.blueF()),
    )


def apply_theme(application: QApplication) -> None:
    """Give `application` the product's look, whatever the desktop's is."""
    load_fonts()
    application.setStyle("Fusion")
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: CARD,
        QPalette.ColorRole.WindowText: INK,
        QPalette.ColorRole.Base: WHITE,
        QPalette.ColorRole.AlternateBase: PAPER,
        QPalette.ColorRole.Text: INK,
        QPalette.ColorRole.Button: WHITE,
        QPalette.ColorRole.ButtonText: INK,
        QPalette.ColorRole.Highlight: BRASS,
        QPalette.ColorRole.HighlightedText: INK,
        QPalette.ColorRole.ToolTipBase: INK,
        QPalette.ColorRole.ToolTipText: SCRIBED,
        QPalette.ColorRole.PlaceholderText: FAINT,
        QPalette.ColorRole.Link: OUTLINE_ON_PICTURE,
    }
    for role, colour in roles.items():
        palette.setColor(role, colour)
    palette.setColor(QPalette.ColorGroup.Disabled, QPalette.ColorRole.ButtonText, FAINT)
    palette.setColor(QPalette.ColorGroup.Disabled, QPalette.ColorRole.Text, FAINT)
    application.setPalette(palette)
    application.setFont(font(14))
    application.setStyleSheet(_STYLE)


_STYLE = f"""
QWidget {{ color: {INK.name()}; }}
QPushButton {{
    background: {WHITE.name()}; border: 1px solid {RULE.name()}; border-radius: 4px;
    padding: 2px 12px; min-height: 26px;
}}
QPushButton:hover {{ border-color: {PENCIL.name()}; }}
QPushButton:focus, QLineEdit:focus, QComboBox:focus {{ border: 2px solid {BRASS_DEEP.name()}; }}
QPushButton:pressed {{ background: {PAPER.name()}; }}
QPushButton:disabled {{ background: {PAPER.name()}; color: {FAINT.name()}; border-style: dashed; }}
QLineEdit:disabled {{ background: {PAPER.name()}; color: {FAINT.name()}; border-style: dashed; }}
QPushButton:checked {{
    background: {PENCIL.name()}; color: {WHITE.name()}; border-color: {INK.name()};
    font-weight: 600;
}}
QPushButton[next="true"] {{
    background: {BRASS.name()}; border: 1px solid #a67f2b; font-weight: 600; min-height: 32px;
}}
QPushButton[next="true"]:hover {{ background: #d3a848; }}
QPushButton[next="true"]:focus {{ border: 2px solid {INK.name()}; }}
QPushButton[next="true"]:disabled {{
    background: {PAPER.name()}; border: 1px dashed {CHALK.name()}; font-weight: 400;
}}
QLineEdit, QComboBox {{
    background: {WHITE.name()}; border: 1px solid {RULE.name()}; border-radius: 4px;
    padding: 2px 8px; min-height: 24px; selection-background-color: {BRASS.name()};
    selection-color: {INK.name()};
}}
QComboBox {{ padding-right: 24px; }}
QComboBox::drop-down {{ border: none; width: 24px; }}
QComboBox::down-arrow {{ image: none; }}
QComboBox QAbstractItemView {{
    background: {WHITE.name()}; border: 1px solid {RULE.name()}; outline: none; padding: 2px;
    selection-background-color: {BRASS.name()}; selection-color: {INK.name()};
}}
QLineEdit[wrong="true"] {{ border: 2px solid {AMBER.name()}; }}
QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
QScrollBar:vertical {{ background: transparent; width: 10px; }}
QScrollBar::handle:vertical {{ background: {CHALK.name()}; border-radius: 5px; min-height: 28px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
QToolTip {{
    background: {INK.name()}; color: {SCRIBED.name()}; border: none; padding: 4px 8px;
}}
QSlider {{ min-height: 28px; }}
QSlider::groove:horizontal {{ height: 4px; background: {RULE.name()}; border-radius: 2px; }}
QSlider::sub-page:horizontal {{ background: {PENCIL.name()}; border-radius: 2px; }}
QSlider::handle:horizontal {{
    background: {BRASS.name()}; border: 1px solid {BRASS_DEEP.name()}; border-radius: 3px;
    width: 12px; margin: -9px 0;
}}
QSlider:focus {{ border: 2px solid {BRASS_DEEP.name()}; border-radius: 4px; }}
QListWidget {{ background: {WHITE.name()}; border: 1px solid {RULE.name()}; outline: none; }}
QListWidget::item:selected {{ background: {PAPER.name()}; color: {INK.name()};
    border-left: 4px solid {BRASS.name()}; }}
"""
