"""What can be chosen of a format of cut files, on the worksheet."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from silhueta.app.stops.cut_file.options import OptionRow
from silhueta.core.cut_file_settings import CutFileSettings
from tests.core.files.test_format_options import BEAM


@pytest.fixture
def rows(qtbot):
    told = []
    made = [OptionRow(BEAM, option, lambda *args: told.append(args)) for option in BEAM.options]
    for row in made:
        qtbot.addWidget(row)
        row.show_value(CutFileSettings(), "mm")
        row.show()
    return made, told


def typed(row, text):
    row.field.selectAll()
    QTest.keyClicks(row.field, text)
    QTest.keyClick(row.field, Qt.Key.Key_Return)


def test_each_kind_is_chosen_or_typed(rows):
    (order, height, feed, air), told = rows
    assert (height.field.text(), feed.field.text()) == ("3.00 mm", "1200 mm/min")
    QTest.mouseClick(order.findChild(QPushButton, "choice-near"), Qt.MouseButton.LeftButton)
    typed(height, '1/8"')
    typed(feed, "1500 mm/min")
    QTest.mouseClick(air.findChild(QPushButton, "choice-yes"), Qt.MouseButton.LeftButton)
    assert told == [
        ("Order", "beam.order", "near"),
        ("Pierce height", "beam.pierce-height", pytest.approx(3.175)),
        ("Feed", "beam.feed", 1500.0),
        ("Air assist", "beam.air", True),
    ]


@pytest.mark.parametrize(
    ("number", "text", "says"),
    [(1, "30", "Pierce height can be 0.50 mm to 20.00 mm"), (2, "fast", "is no number")],
)
def test_what_cannot_be_is_explained(rows, number, text, says):
    made, told = rows
    faults = []
    made[number].field.wrong.connect(faults.append)
    typed(made[number], text)
    assert says in faults[-1]
    assert not told
