"""Findings on what comes loose, and on holes that a tool cannot cut."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from silhueta.core.geometry.path import Loop
from silhueta.core.inspection.finding import Finder, Finding, Remedy, Scene
from silhueta.core.inspection.outline_faults import marked


def _islands(scene: Scene) -> Iterator[Finding]:
    if scene.limits.process is None:
        return
    for contour, depth in scene.nested:
        if depth < 2:
            continue
        place, (left, bottom, right, top) = scene.middle_of(contour)
        size = f"{right - left:.1f} x {top - bottom:.1f} mm"
        text = (
            f"a hole of {size} is in a piece that drops out, and goes with it"
            if depth % 2
            else f"a piece of {size} lies loose in a hole: it drops out"
        )
        yield Finding(
            "island",
            "hurt",
            place,
            (left, bottom, right, top),
            text,
            keys=(contour.key,),
            remedies=(
                Remedy("Tie it with bridges at Build", stop="build"),
                Remedy("Skip it at Tidy", stop="tidy"),
            ),
        )


def _slugs(scene: Scene) -> Iterator[Finding]:
    """Yield what falls out of holes, and may stay in them: where a hole is hardly wider than deep.

    It tilts and jams where its width is less than the sheet is thick; common practice, no source.
    """
    thickness = scene.limits.thickness
    if scene.limits.process is None or not thickness:
        return
    for contour, depth in scene.nested:
        if depth % 2 and (wide := scene.width_of(contour)) < thickness:
            place, box = scene.middle_of(contour)
            text = f"the slug of a hole {wide:.2f} mm wide may stay in a sheet of {thickness:g} mm"
            remedy = Remedy("Mark it, to be drilled", partial(marked, key=contour.key))
            keys = (contour.key,)
            yield Finding(
                "slug", "look", place, box, text, wide, thickness, keys, remedies=(remedy,)
            )


def _small_holes(scene: Scene) -> Iterator[Finding]:
    least, why = scene.limits.least_hole()
    if not least:
        return
    for contour, depth in scene.nested:
        if not depth % 2 or not isinstance(contour.path, Loop):
            continue
        wide = scene.width_of(contour)
        if wide < least - 1e-6:
            place, box = scene.middle_of(contour)
            yield Finding(
                "small-hole",
                "hurt",
                place,
                box,
                f"a hole is {wide:.2f} mm wide, {least:.2f} mm at least can be cut: {why}",
                wide,
                least,
                (contour.key,),
                (
                    Remedy("Mark it, to be drilled", partial(marked, key=contour.key)),
                    Remedy("Make it larger at True up", stop="true_up"),
                ),
            )


FINDERS = (
    Finder("island", "pieces that drop out", _islands),
    Finder("small-hole", "holes too small to cut", _small_holes),
    Finder("slug", "slugs that may stay in their holes", _slugs),
)
