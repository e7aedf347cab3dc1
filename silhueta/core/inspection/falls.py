"""Findings on what comes loose, and on holes that a tool cannot cut."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from silhueta.core.build.edits import solid_of
from silhueta.core.geometry.measure import box_of, circle_of
from silhueta.core.geometry.outline import Contour
from silhueta.core.geometry.path import Loop
from silhueta.core.inspection.finding import Finder, Finding, Remedy, Scene
from silhueta.core.inspection.limits import (
    least_corner,
    least_hole,
    least_piece,
    least_web,
    pierce_room,
)
from silhueta.core.inspection.remedies import SPARE, marked, piece_skipped, skipped, tied

_OFF = 1e-6  # mm: what adding up coordinates may leave
# A bridge that holds a letter in thin sheet, and how many (common practice, no source); where a
# web must be wider, bridges are
_BRIDGE, _BRIDGES = 2.0, 2  # mm wide, and so many an island


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
            remedies=_held(scene, contour, place, odd=bool(depth % 2)),
        )


def _held(
    scene: Scene, contour: Contour, place: tuple[float, float], odd: bool
) -> tuple[Remedy, ...]:
    """Return what keeps a loose piece, or a hole in one, from dropping out."""
    web, _ = least_web(scene.limits)
    wide = round(max(web + SPARE, _BRIDGE), 3)
    words = "Tie the piece that it is in" if odd else "Tie it"
    return (
        Remedy(
            f"{words} with {_BRIDGES} bridges of {wide:.3g} mm",
            partial(
                tied,
                key=contour.key,
                at=place,
                width=wide,
                count=_BRIDGES,
                radius=least_corner(scene.limits)[0],
            ),
        ),
        Remedy("Skip it", partial(skipped, key=contour.key)),
        Remedy("Place the bridges at Build", stop="build"),
    )


def _small_pieces(scene: Scene) -> Iterator[Finding]:
    """Yield pieces that are too small to hold once they are free, or drop between slats."""
    least, why = least_piece(scene.limits)
    if not least:
        return
    for contour, depth in scene.nested:
        if depth % 2:
            continue
        place, (left, bottom, right, top) = scene.middle_of(contour)
        across = min(right - left, top - bottom)
        if across >= least - _OFF:
            continue
        own = solid_of(scene.job.outline, contour.key)
        others = len(scene.nested) > len(own)
        skip = Remedy("Skip it", partial(piece_skipped, keys=own))
        hold = Remedy("Leave tabs on it at Cut file", stop="cut_file")
        yield Finding(
            "small-piece",
            "hurt" if scene.limits.slats else "look",
            place,
            (left, bottom, right, top),
            f"a piece is {across:.1f} mm wide, {least:g} mm can be held: {why}",
            across,
            least,
            (contour.key,),
            (skip, hold) if others else (hold,),
        )


def _pierces(scene: Scene) -> Iterator[Finding]:
    """Yield holes in which every place for a pierce is too near to the line that stays."""
    room, why = pierce_room(scene.limits)
    if not room:
        return
    for contour, depth in scene.nested:
        if not depth % 2 or not isinstance(contour.path, Loop):
            continue
        least, _ = least_hole(scene.limits, _long(contour))
        wide = scene.width_of(contour)
        if wide / 2 < room - _OFF and wide >= least - _OFF:  # a smaller hole is told as such
            place, box = scene.middle_of(contour)
            yield Finding(
                "pierce-near",
                "hurt",
                place,
                box,
                f"the pierce would be {wide / 2:.2f} mm from the line, {room:.2f} mm are wanted: "
                f"{why}",
                wide / 2,
                room,
                (contour.key,),
                (_by_hand(contour),),
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
            remedy = _by_hand(contour)
            keys = (contour.key,)
            yield Finding(
                "slug", "look", place, box, text, wide, thickness, keys, remedies=(remedy,)
            )


def _long(contour: Contour) -> float:
    left, bottom, right, top = box_of(contour.path)
    return max(right - left, top - bottom)


def _by_hand(contour: Contour) -> Remedy:
    """Return the remedy that has a hole made by hand: only its line is marked."""
    how = "drilled" if circle_of(contour.path) is not None else "made by hand"
    return Remedy(f"Mark it, to be {how}", partial(marked, key=contour.key))


def _small_holes(scene: Scene) -> Iterator[Finding]:
    if not least_hole(scene.limits)[0]:
        return
    for contour, depth in scene.nested:
        if not depth % 2 or not isinstance(contour.path, Loop):
            continue
        least, why = least_hole(scene.limits, _long(contour))
        wide = scene.width_of(contour)
        if wide < least - _OFF:
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
                    _by_hand(contour),
                    Remedy("Make it larger at True up", stop="true_up"),
                ),
            )


FINDERS = (
    Finder("island", "Drops out", "pieces that drop out", _islands),
    Finder("small-hole", "Hole too small", "holes too small to cut", _small_holes),
    Finder("small-piece", "Piece too small", "pieces too small to hold", _small_pieces),
    Finder("pierce-near", "Pierce too near", "pierces too near to the line", _pierces),
    Finder("slug", "Slug may stay", "slugs that may stay in their holes", _slugs),
)
