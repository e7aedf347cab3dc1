"""Measuring from photos, held against published sizes and other people's programs."""

import cv2
import numpy as np
import pytest
from skimage.measure import EllipseModel

from benchmarks.photo import Scene, printed, render
from silhueta.core.datum.camera import homography
from silhueta.core.datum.gauge import find_gauge, gauge_pdf
from silhueta.core.datum.look_for import lens_of
from silhueta.core.datum.sheets import SIZES
from silhueta.core.datum.snap import find_round
from silhueta.core.datum.solve import Facts, solve
from silhueta.core.datums import RoundDatum
from silhueta.core.job import Job
from silhueta.core.picture.decode import Picture


@pytest.mark.parametrize(
    ("name", "size"),
    [
        # ISO 216:2007, main A series
        ("a3", (297, 420)),
        ("a4", (210, 297)),
        ("a5", (148, 210)),
        # ANSI/ASME Y14.1, size A: 8.5 x 11 in
        ("letter", (8.5 * 25.4, 11 * 25.4)),
        # common practice, no source: 8.5 x 14 in
        ("legal", (8.5 * 25.4, 14 * 25.4)),
        # ISO/IEC 7810:2019, ID-1: 85.60 x 53.98 mm
        ("card", (53.98, 85.60)),
    ],
)
def test_sheets_have_their_published_sizes(name, size):
    assert SIZES[name] == pytest.approx(size)


def test_a_coin_of_published_diameter_sets_the_scale():
    # Regulation (EU) 729/2014, annex I: the one-euro coin is 23.25 mm across
    y, x = np.mgrid[0:400, 0:400] + 0.5
    cover = np.clip(0.5 - (np.hypot(x - 201.3, y - 188.8) - 116.25), 0, 1)
    # the lens blurs light; a camera bends it afterwards (IEC 61966-2-1)
    light = cv2.GaussianBlur((0.7 - 0.62 * cover).astype(np.float32), (0, 0), 0.8)
    grey = np.round(255 * (1.055 * light ** (1 / 2.4) - 0.055)).astype(np.uint8)
    coin = find_round(grey, 210, 180, 23.25)
    solution = solve(Job(datums=(coin,)), Facts(400, 400))
    assert solution.length((0, 0), (100, 0))[0] == pytest.approx(10.0, rel=5e-4)


def test_an_ellipse_is_where_scikit_image_puts_it():
    rng = np.random.default_rng(4)
    turn = np.linspace(0, 2 * np.pi, 300, endpoint=False)
    c, s = np.cos(0.5), np.sin(0.5)
    u, v = 130 * np.cos(turn), 95 * np.sin(turn)
    true = np.column_stack([250 + c * u - s * v, 240 + s * u + c * v])
    y, x = np.mgrid[0:500, 0:500] + 0.5
    p, q = c * (x - 250) + s * (y - 240), c * (y - 240) - s * (x - 250)
    level = (p / 130) ** 2 + (q / 95) ** 2 - 1
    away = level / (2 * np.hypot(p / 130**2, q / 95**2))  # px, to first order
    grey = (230 - 170 * np.clip(0.5 - away, 0, 1)).astype(np.uint8)
    found = find_round(grey, 255, 235, 20.0)
    model = EllipseModel.from_estimate(true + rng.normal(0, 0.05, true.shape))
    assert model
    assert found.centre == pytest.approx(tuple(model.center), abs=0.15)
    assert sorted(found.radii) == pytest.approx(sorted(model.axis_lengths), abs=0.2)
    assert isinstance(found, RoundDatum)


def test_a_homography_is_where_opencv_puts_it():
    rng = np.random.default_rng(8)
    mm = rng.uniform(0, 300, (40, 2))
    truth = np.array([[9.0, 1.2, 80], [-0.8, 8.5, 60], [2e-4, -3e-4, 1]])
    px = np.column_stack([mm, np.ones(40)]) @ truth.T
    px = px[:, :2] / px[:, 2:] + rng.normal(0, 0.2, (40, 2))
    theirs, _ = cv2.findHomography(mm, px)
    ours = homography(mm, px)
    there = cv2.perspectiveTransform(mm[:, None], theirs)[:, 0]
    here = cv2.perspectiveTransform(mm[:, None], ours)[:, 0]
    assert np.abs(there - here).max() < 0.15  # they refine, we do not: both within the noise


def test_opencv_calibrates_the_same_lens_from_the_gauge_sheets_marks():
    points, ours = [], []
    paper = printed(gauge_pdf("a4"))
    for number, (tilt, azimuth) in enumerate(((14.0, 20.0), (18.0, 140.0), (16.0, 260.0))):
        scene = Scene(
            sheet=(210.0, 297.0),
            pixels=(2000, 1500),
            k1=-0.06,
            tilt=tilt,
            azimuth=azimuth,
            roll=88.0,
            seen=360.0,
            print_on=paper,
            seed=number,
        )
        picture = Picture(render(scene), None, None, "JPEG", scene.focal35)
        found = find_gauge(picture.grey, lens_of(picture))
        points.append(np.array(found.points))
        ours.append(found.bend / (np.hypot(1000, 750) / scene.focal) ** 2)
    objects = [np.column_stack([p[:, 2], -p[:, 3], 0 * p[:, 2]]).astype(np.float32) for p in points]
    images = [(p[:, :2] - 0.5).astype(np.float32)[:, None] for p in points]
    start = np.array([[1500.0, 0, 999.5], [0, 1500.0, 749.5], [0, 0, 1]])
    only_k1 = (
        cv2.CALIB_USE_INTRINSIC_GUESS
        | cv2.CALIB_FIX_PRINCIPAL_POINT
        | cv2.CALIB_FIX_ASPECT_RATIO
        | cv2.CALIB_ZERO_TANGENT_DIST
        | cv2.CALIB_FIX_K2
        | cv2.CALIB_FIX_K3
    )
    _, camera, bent, _, _ = cv2.calibrateCamera(
        objects, images, (2000, 1500), start, np.zeros(5), flags=only_k1
    )
    assert camera[0, 0] == pytest.approx(scene.focal, rel=0.01)
    assert bent.ravel()[0] == pytest.approx(-0.06, abs=0.004)
    assert ours == pytest.approx([bent.ravel()[0]] * 3, abs=0.004)
