"""How far edge points are off, and with how many neighbours: on processes that are known."""

import numpy as np
import pytest

from silhueta.core.datums import PixelDatum
from silhueta.core.fitting.fit import fit_contour
from silhueta.core.picture.decode import Picture
from silhueta.core.trace.edge.contours import gathered
from silhueta.core.trace.edge.wobble import ROOM, wobble_of
from silhueta.core.trace.job_trace import trace_job
from silhueta.core.trace.trace import trace
from silhueta.core.trace_settings import TraceSettings
from silhueta.demo.gasket import gasket_job


def process(fade: float, spread: float, count: int, seed: int) -> np.ndarray:
    """A first-order autoregressive process: Box and Jenkins, "Time Series Analysis", 1970, 3.2.3.

    Its autocorrelation at lag k is fade^k, so the sum over all lags is (1 + fade) / (1 - fade).
    """
    rng = np.random.default_rng(seed)
    pushes = rng.normal(0, spread * np.sqrt(1 - fade**2), count + 500)
    values = np.zeros(count + 500)
    for i in range(1, len(values)):
        values[i] = fade * values[i - 1] + pushes[i]
    return values[500:]


def ring(fade: float, spread: float, radius: float, seed: int) -> np.ndarray:
    count = round(2 * np.pi * radius)
    turn = np.linspace(0, 2 * np.pi, count, endpoint=False)
    far = radius + process(fade, spread, count, seed)
    return np.column_stack([far * np.cos(turn), -far * np.sin(turn)])


@pytest.mark.parametrize(("fade", "along"), [(0.0, 1.0), (0.5, 3.0), (0.8, 9.0), (0.9, 19.0)])
def test_noise_and_its_reach_are_those_of_the_process(fade, along):
    rings = [ring(fade, 0.2, 320.0, seed) for seed in range(4)]
    found = wobble_of(gathered(rings, np.ones(4), 0))
    assert found.noise == pytest.approx(0.2, rel=0.2)
    assert found.along == pytest.approx(along, rel=0.6, abs=0.8)


def test_a_side_that_is_wrong_as_a_whole_shows_in_how_round_holes_are():
    hole = ring(0.0, 0.05, 60.0, 1)
    wall = 2.2 * np.sin(np.linspace(0, np.pi, 120))  # taken for face
    hole[:120] *= 1 + wall[:, None] / 60
    found = wobble_of(gathered([hole], np.ones(1), 0))
    assert found.noise < 0.1
    assert 0.3 < found.error < 0.8
    assert wobble_of(gathered([hole], np.ones(1), 0), most=0.2).error == 0.2


def test_errors_that_go_along_buy_no_segments_and_a_real_corner_does():
    counts, alone = [], []
    for seed in range(6):
        points = ring(0.95, 0.4, 90.0, seed)
        wobble = wobble_of(gathered([points], np.ones(1), 0))
        tolerance = max(0.5, ROOM * wobble.error)
        noise, along = wobble.at(tolerance)
        made = fit_contour(points, tolerance, noise, 1, along=along, rough=True)
        counts.append(len(made.loop.nodes))
        alone.append(len(fit_contour(points, 0.5, wobble.noise, 1).loop.nodes))
    assert counts == [2] * 6  # a circle each
    assert sum(alone) > 20
    square = np.vstack(
        [
            np.column_stack([np.arange(300), np.full(300, 0.0)]),
            np.column_stack([np.full(300, 300.0), np.arange(300)]),
            np.column_stack([300.0 - np.arange(300), np.full(300, 300.0)]),
            np.column_stack([np.full(300, 0.0), 300.0 - np.arange(300)]),
        ]
    )
    for seed in range(3, 11):
        rough = square + np.column_stack(
            [process(0.9, 0.3, 1200, seed), process(0.9, 0.3, 1200, seed + 1)]
        )
        wobble = wobble_of(gathered([rough], np.ones(1), 0))
        tolerance = max(0.5, ROOM * wobble.error)
        noise, along = wobble.at(tolerance)
        made = fit_contour(rough, tolerance, noise, 1, along=along, rough=True)
        assert len(made.loop.nodes) == 4  # wherever the walk round it began


def test_more_tolerance_never_makes_more_segments():
    paper = Picture(np.full((300, 300), 255, np.uint8), None, None, "PNG")
    counts = []
    for seed in range(5):
        points = ring(0.9, 0.25, 120.0, seed)
        points[:, 0] = np.minimum(points[:, 0], 70.0)  # a flat besides
        edge = gathered([points + 150], np.full(1, 4e4), 0)
        made = []
        for tolerance in (0.25, 0.4, 0.6, 1.0, 1.6, 2.5, 4.0, 6.0):
            settings = TraceSettings(tolerance=tolerance)
            done = trace(paper, PixelDatum(1.0), settings, ready=edge)
            made.append(len(done.outline.loops[0].nodes))
        counts.append(made)
    assert all(np.diff(made).max() <= 0 for made in counts), counts
    assert max(made[0] for made in counts) > min(made[-1] for made in counts)


def test_a_wave_that_was_drawn_stays_a_wave():
    turn = np.linspace(0, 2 * np.pi, 900, endpoint=False)
    far = 143 + 1.5 * np.sin(24 * turn)
    points = np.column_stack([far * np.cos(turn), -far * np.sin(turn)])
    made = fit_contour(points, 0.5, 0.02, 1, along=8.0)
    assert len(made.loop.nodes) >= 40
    assert made.deviation < 0.7


def test_the_gaskets_scan_has_the_lines_and_arcs_that_were_drawn():
    job = gasket_job()
    loops = trace_job(job).job.outline.loops
    # twelve arcs round it, and seven full circles; noise of its grain buys no more
    assert sorted(len(loop.nodes) for loop in loops) == [2] * 7 + [12]
