"""What was given to the trace command, and the job that it asks for."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path as File
from typing import TYPE_CHECKING, Any

import click

from silhueta.cli.plan import typed_options
from silhueta.cli.report import check_needs
from silhueta.core.cut_file_settings import CutFileSettings, FrameOrigin
from silhueta.core.datums import Datum, LengthDatum
from silhueta.core.errors import SilhuetaError, UnitsError
from silhueta.core.trace_settings import Blend, Keep, Kind, Mode, Pen, TraceSettings
from silhueta.core.units import Unit
from silhueta.core.whole_file import readable

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from silhueta.core.datums import Optics
    from silhueta.core.job import Job, PictureFile
    from silhueta.core.picture.decode import Picture


@dataclass(frozen=True)
class Given:
    """The options of the trace command, under their own names."""

    picture: File
    output: tuple[File, ...]
    pixel_size: float | None
    dpi: float | None
    overall_width: float | None
    overall_height: float | None
    known_length: LengthDatum | None
    sheet: str | None
    sheet_corners: Any
    gauge: bool
    page: str | None
    thickness: float | None
    datum_height: float | None
    focal35: float | None
    crop: Any
    reading: str
    light: Blend
    threshold: float | None
    band: tuple[float, float] | None
    local: float | None
    colour: tuple[Any, ...]
    colour_distance: float
    part: bool
    invert: bool
    speck: float
    tolerance: float | None
    pen: Pen | None
    close_gaps: float | None
    colours: int | None
    fit: Kind
    smooth: float | None
    corner: float
    doubtful: bool
    many: bool
    true_: str
    hole_sizes: str
    level: str
    keep: Keep
    units: Unit
    plan: CutFileSettings
    origin: FrameOrigin
    quiet: bool
    report: File | None
    job_file: File | None

    @property
    def told_how(self) -> bool:
        """Whether an option tells how the part is to be found, so that the picture need not."""
        return (
            self.threshold is not None
            or self.mode != "threshold"
            or self.invert
            or self.pen is not None
            or self.colours is not None
        )

    def over(self, read: TraceSettings) -> TraceSettings:
        """Return settings that suit a reading, with those that were typed over them."""
        own = self.settings()
        told: dict[str, Any] = {}
        if self.threshold is not None or self.mode != "threshold":
            told |= {"threshold": own.threshold, "mode": own.mode, "band": own.band}
            told |= {"window": own.window, "colours": own.colours, "split": 0}
        told |= {"invert": True} if self.invert else {}
        told |= {"pen": own.pen, "close_gaps": own.close_gaps} if self.pen else {}
        told |= {"split": own.split, "pen": None} if self.colours else {}
        return replace(read, **told)

    @property
    def mode(self) -> Mode:
        """The mode that was asked for."""
        given: dict[str, tuple[bool, Mode]] = {
            "--threshold": (self.threshold is not None, "threshold"),
            "--band": (self.band is not None, "band"),
            "--local": (self.local is not None, "local"),
            "--colour": (bool(self.colour), "colour"),
            "--part": (self.part, "part"),
            "--colours": (self.colours is not None, "threshold"),
        }
        named = [name for name, (is_given, _) in given.items() if is_given]
        if len(named) > 1:
            raise click.UsageError(
                f"give one of {' and '.join(named)}: each tells the part from the ground its own "
                "way"
            )
        return given[named[0]][1] if named else "threshold"

    @property
    def datum(self) -> Datum | None:
        """The datum that is told in numbers."""
        from silhueta.core.datums import DpiDatum, OverallDatum, PixelDatum

        given: dict[str, Datum] = {}
        try:
            if self.pixel_size is not None:
                given["--pixel-size"] = PixelDatum(self.pixel_size)
            if self.dpi is not None:
                given["--dpi"] = DpiDatum(self.dpi)
            if self.overall_width is not None:
                given["--overall-width"] = OverallDatum("width", self.overall_width)
            if self.overall_height is not None:
                given["--overall-height"] = OverallDatum("height", self.overall_height)
            if self.known_length is not None:
                given["--known-length"] = self.known_length
        except SilhuetaError as error:
            raise click.UsageError(str(error)) from error
        if len(given) > 1:
            raise click.UsageError(
                f"give one of {' and '.join(given)}, not several: each fixes the scale"
            )
        return next(iter(given.values()), None)

    def settings(self) -> TraceSettings:
        """Return how the picture is to be traced."""
        usual = TraceSettings()
        unsaid = self.threshold is None or self.threshold < 0
        try:
            return TraceSettings(
                threshold=None if unsaid else self.threshold,
                invert=self.invert,
                speck=self.speck,
                tolerance=self.tolerance,
                keep=self.keep,
                mode=self.mode,
                band=self.band or usual.band,
                window=self.local or usual.window,
                colours=self.colour,
                colour_distance=self.colour_distance,
                pen=self.pen,
                close_gaps=self.close_gaps or 0.0,
                split=self.colours or 0,
                fit=self.fit,
                smooth=self.smooth or 0.0,
                corner=self.corner,
                many=self.many,
                light=self.light,
            )
        except SilhuetaError as error:
            raise click.UsageError(str(error)) from error

    def optics(self) -> Optics:
        """Return what is told of the photo."""
        from silhueta.core.datums import Optics

        try:
            return Optics(self.thickness or 0.0, self.focal35, self.datum_height)
        except SilhuetaError as error:
            raise click.UsageError(str(error)) from error

    def job(self, source: PictureFile, datums: tuple[Datum, ...]) -> Job:
        """Return the job before it is traced."""
        from silhueta.core.job import Job

        return Job(
            name=readable(self.picture.stem),
            picture=source,
            datums=datums,
            optics=self.optics(),
            clean=() if self.crop is None else (self.crop,),
            trace=self.settings(),
            cut_file=self.plan,
        )


def check(given: Given) -> None:
    """Raise for options that make no sense together.

    Raises
    ------
    click.UsageError

    """
    named = (("--sheet", given.sheet), ("--page", given.page), ("--gauge", given.gauge))
    seen = [name for name, value in named if value]
    other = given.datum is not None and not isinstance(given.datum, LengthDatum)
    if len(seen) > 1 or (seen and other):
        if other:
            sizes = {
                "--pixel-size": given.pixel_size,
                "--dpi": given.dpi,
                "--overall-width": given.overall_width,
                "--overall-height": given.overall_height,
            }
            seen += [name for name, value in sizes.items() if value]
        raise click.UsageError(
            f"give one of {' and '.join(seen)}, not both: each fixes the scale (--known-length may "
            "stand beside a sheet)"
        )
    _check_idle(given)
    if given.close_gaps is not None and given.pen is None:
        raise click.UsageError("--close-gaps needs --pen outer, inner or centre")
    if given.sheet_corners is not None and not given.sheet:
        raise click.UsageError("--sheet-corners needs --sheet with the sheet's size")
    given.settings()
    given.optics()


def _check_idle(given: Given) -> None:
    """Raise UsageError for options that can do nothing beside another one."""
    lens = {"--focal35": given.focal35 is not None}
    height = {"--datum-height": given.datum_height is not None}
    read = {"--read": given.reading != "auto"}
    light = {"--light": given.light != "auto"}
    pen, invert = {"--pen": given.pen is not None}, {"--invert": given.invert}
    beside: list[tuple[str, bool, dict[str, bool], str]] = [
        ("--dpi", given.dpi is not None, lens | height, "which needs no camera"),
        ("--pixel-size", given.pixel_size is not None, lens | height, "which needs no camera"),
        ("--page", given.page is not None, lens | height, "which needs no camera"),
        ("--overall-width", given.overall_width is not None, height, "the part's own"),
        ("--overall-height", given.overall_height is not None, height, "the part's own"),
        ("--pen", given.pen is not None, read, "which says how to trace"),
        (
            "--part",
            given.part,
            read | invert,
            "which tells light parts and dark ones alike from their ground",
        ),
        (
            "--colours",
            given.colours is not None,
            read | light | pen | invert | {"--smooth": bool(given.smooth)},
            "which follows every border between two colours as it is",
        ),
    ]
    for name, is_given, others, why in beside:
        idle = [other for other, there in others.items() if there]
        if is_given and idle:
            raise click.UsageError(
                f"{' and '.join(idle)} can do nothing beside {name}, {why}; leave one of them out"
            )
    check_needs(typed_options(), {"colour_distance": ["colour"]})


def datums_of(
    given: Given, picture: Picture, colours_of: Callable[[], NDArray[np.uint8]]
) -> tuple[Datum, ...]:
    """Return the datums that were told, that the picture shows, or that its file names.

    Raises
    ------
    click.UsageError
        If there is none.

    """
    from silhueta.core.datums import DpiDatum

    told, shown = given.datum, _seen_datum(given, picture, colours_of)
    if told is None and shown is None and (picture.dpi is None or picture.focal35):
        from silhueta.core.datum.look_for import look_for_any

        shown = look_for_any(picture, given.focal35, colours_of())
    if told is None and shown is None:
        if picture.dpi is None:
            says = (
                f"says {picture.told_dpi:g} dpi, which means unknown"
                if picture.told_dpi
                else "says no dpi"
            )
            raise click.UsageError(
                f"{given.picture.name} {says}, and it shows no sheet, card or gauge sheet that can "
                "be told for sure; give one of --pixel-size, --dpi, --overall-width, "
                "--overall-height, --known-length, --sheet, --gauge, --page"
            )
        told = DpiDatum(picture.dpi, "file")
    return tuple(datum for datum in (shown, told) if datum is not None)


def _seen_datum(
    given: Given, picture: Picture, colours_of: Callable[[], NDArray[np.uint8]]
) -> Datum | None:
    """Return the datum that the picture is said to show: sheet, gauge sheet or page."""
    from silhueta.core.datum.look_for import look_for_gauge, look_for_sheet, sheet_at
    from silhueta.core.datum.sheets import sheet_size
    from silhueta.core.datums import PageDatum

    try:
        if given.page:
            name, size = sheet_size(given.page)
            return PageDatum(name, size, (picture.width, picture.height))
        named = sheet_size(given.sheet) if given.sheet else None
    except UnitsError as error:
        raise click.UsageError(str(error)) from error
    if given.gauge:
        return look_for_gauge(picture, given.focal35)
    if named is None:
        return None
    name, size = named
    if given.sheet_corners is None:
        colours = colours_of() if name == "card" else None
        return look_for_sheet(picture, name, size, given.focal35, colours)
    try:
        return sheet_at(picture, name, size, given.sheet_corners)
    except SilhuetaError as error:
        raise click.UsageError(str(error)) from error
