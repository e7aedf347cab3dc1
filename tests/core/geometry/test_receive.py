"""What a path tells a receiver is the whole path."""

import numpy as np
import pytest

from silhueta.core.geometry.path import ARC, CUBIC, LINE, Loop, OpenPath, Path, circle_loop
from silhueta.core.geometry.receive import Point, send


class Recorder:
    """Writes down what it is told."""

    def __init__(self) -> None:
        self.told: list[tuple] = []

    def move(self, to: Point) -> None:
        self.told.append(("move", *to))

    def line(self, to: Point) -> None:
        self.told.append(("line", *to))

    def arc(self, to: Point, bulge: float) -> None:
        self.told.append(("arc", *to, bulge))

    def cubic(self, one: Point, two: Point, to: Point) -> None:
        self.told.append(("cubic", *one, *two, *to))

    def close(self) -> None:
        self.told.append(("close",))

    def end(self) -> None:
        self.told.append(("end",))


NODES = np.array([[0, 0], [10, 0], [10, 5], [0, 5.0]])
CONTROLS = np.zeros((4, 2, 2))
CONTROLS[2] = [[8, 7], [2, 7]]


@pytest.mark.parametrize(
    ("path", "told"),
    [
        (
            Loop(NODES, np.array([LINE, ARC, CUBIC, LINE]), np.array([0, 0.5, 0, 0]), CONTROLS),
            [
                ("move", 0, 0),
                ("line", 10, 0),
                ("arc", 10, 5, 0.5),
                ("cubic", 8, 7, 2, 7, 0, 5),
                ("line", 0, 0),
                ("close",),
            ],
        ),
        (
            OpenPath(NODES[:3], np.array([ARC, LINE]), np.array([-1.0, 0])),
            [("move", 0, 0), ("arc", 10, 0, -1.0), ("line", 10, 5), ("end",)],
        ),
        (
            circle_loop((3, 4), 2),
            [("move", 5, 4), ("arc", 1, 4, 1.0), ("arc", 5, 4, 1.0), ("close",)],
        ),
    ],
)
def test_a_receiver_is_told_every_segment_in_order(path: Path, told):
    recorder = Recorder()
    send(path, recorder)
    assert recorder.told == told
