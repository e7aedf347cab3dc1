"""Made-up photos: what is in them is what they say, and the way is gone with them."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from silhueta.core.errors import FileError
from silhueta.core.files.inspect_file import read_drawing
from silhueta.core.geometry.flatten import flatten
from silhueta.core.practise.render import photo_of
from silhueta.core.practise.scene import plate_of, scene_of


def test_what_is_traced_is_as_large_as_the_photo_says(call, tmp_path):
    photo, out = tmp_path / "photo.jpg", tmp_path / "out.dxf"
    code, _, told = call("practise", "-o", photo, "--seed", 1)
    assert code == 0
    scene = scene_of(plate_of(1), 1)
    assert scene.told() in told
    thick = f"{scene.thickness:g}mm"
    code, _, told = call("trace", photo, "-o", out, "--sheet", "a4", "--thickness", thick)
    assert code == 0, told
    loops = [shapely.Polygon(flatten(path, 0.005)) for path in read_drawing(out).paths]
    assert len(loops) == 4  # the plate, its bore and two holes: no speck
    plate = max(loops, key=lambda one: one.area)
    corners = shapely.get_coordinates(shapely.minimum_rotated_rectangle(plate))
    sides = np.sort(np.hypot(*np.diff(corners[:3], axis=0).T))
    # the camera is no model of the program's own, and the lens is not told: a quarter millimetre
    assert sides == pytest.approx(np.sort(scene.size), abs=0.25)


def test_a_seed_is_a_photo_and_scans_say_their_dpi():
    one, other = scene_of(plate_of(1), 1), scene_of(plate_of(2), 2)
    assert photo_of(one) == photo_of(one)
    assert photo_of(one) != photo_of(other)
    every = [scene_of(plate_of(seed), seed) for seed in range(40)]
    assert {scene.scanned for scene in every} == {True, False}
    scan = photo_of(next(scene for scene in every if scene.scanned))
    assert b"JFIF" in scan[:12]


def test_what_lies_on_no_sheet_is_refused():
    with pytest.raises(FileError, match="more than lies on an A3"):
        scene_of([shapely.box(0, 0, 680, 400)], 1)
    with pytest.raises(FileError, match="no closed outline"):
        scene_of([], 1)
