"""The kinds of values that the command line takes, each read strictly."""

from __future__ import annotations

import re
from typing import Any

import click

from silhueta.core.datums import LengthDatum
from silhueta.core.errors import SilhuetaError, UnitsError
from silhueta.core.steps import Crop
from silhueta.core.units import parse_area, parse_length


class Length(click.ParamType[Any]):
    """A length above zero, or from zero on, in mm; without a unit it is mm."""

    name = "LENGTH"

    def __init__(self, zero: bool = False) -> None:
        self._zero = zero

    def convert(
        self, value: Any, param: click.Parameter | None, ctx: click.Context | None
    ) -> float:
        """Return the value, or say how it is typed."""
        try:
            return value if isinstance(value, float) else parse_length(value, zero=self._zero)
        except UnitsError as error:
            self.fail(str(error), param, ctx)


class SignedLength(click.ParamType[Any]):
    """A length of either sign, in mm."""

    name = "LENGTH"

    def convert(
        self, value: Any, param: click.Parameter | None, ctx: click.Context | None
    ) -> float:
        """Return the value, or say how it is typed."""
        if isinstance(value, float):
            return value
        text = str(value).strip()
        sign = -1.0 if text.startswith(("-", "−")) else 1.0
        try:
            return sign * parse_length(text.lstrip("+-−"), zero=True)
        except UnitsError as error:
            self.fail(str(error), param, ctx)


class Turn(click.ParamType[Any]):
    """A turn in degrees, anticlockwise: 15deg, -90."""

    name = "ANGLE"

    def convert(
        self, value: Any, param: click.Parameter | None, ctx: click.Context | None
    ) -> float:
        """Return the value, or say how it is typed."""
        text = str(value).strip().removesuffix("°").removesuffix("deg").strip()
        try:
            number = float(text)
        except ValueError:
            number = float("nan")
        if not abs(number) <= 360:
            self.fail(f"“{value}” is no angle such as 15deg, from -360 to 360", param, ctx)
        return number


class Grid(click.ParamType[Any]):
    """So many across and up, as 3x2."""

    name = "NxM"

    def convert(
        self, value: Any, param: click.Parameter | None, ctx: click.Context | None
    ) -> tuple[int, int]:
        """Return how many across, and how many up."""
        found = re.fullmatch(r"\s*(\d{1,9})\s*[x×]\s*(\d{1,9})\s*", str(value))
        if found is None:
            self.fail(f"“{value}” is no number of copies such as 3x2", param, ctx)
        return int(found[1]), int(found[2])


class Size(click.ParamType[Any]):
    """A width and a height, as 300x200mm or 12x8in."""

    name = "WxH"

    def convert(
        self, value: Any, param: click.Parameter | None, ctx: click.Context | None
    ) -> tuple[float, float]:
        """Return the width and the height, mm."""
        if isinstance(value, tuple):
            return value
        found = re.fullmatch(
            r"\s*([\d.,/ -]+?)\s*([a-z\"]*)\s*[x×]\s*([\d.,/ -]+?)\s*([a-z\"]*)\s*", str(value)
        )
        if found is None:
            self.fail(f"“{value}” is no size such as 300x200mm", param, ctx)
        unit = found[4] or found[2]
        try:
            return parse_length(found[1] + (found[2] or unit)), parse_length(found[3] + unit)
        except UnitsError as error:
            self.fail(str(error), param, ctx)


class Area(click.ParamType[Any]):
    """An area of zero or more, in mm²."""

    name = "AREA"

    def convert(
        self, value: Any, param: click.Parameter | None, ctx: click.Context | None
    ) -> float:
        """Return the value, or say how it is typed."""
        try:
            return value if isinstance(value, float) else parse_area(value)
        except UnitsError as error:
            self.fail(str(error), param, ctx)


class Threshold(click.ParamType[Any]):
    """A grey value from 0 to 255, or "auto"."""

    name = "auto|0-255"

    def convert(
        self, value: Any, param: click.Parameter | None, ctx: click.Context | None
    ) -> float | None:
        """Return the value, or say how it is typed."""
        if value == "auto":
            return -1.0  # click takes None for "not given"
        try:
            number = float(value)
        except ValueError:
            number = -1.0
        if not 0 <= number <= 255:
            self.fail(f"“{value}” is neither auto nor a grey value from 0 to 255", param, ctx)
        return number


class KnownLength(click.ParamType[Any]):
    """Two points in px and their length: "x1,y1 x2,y2 = 200mm"."""

    name = '"x1,y1 x2,y2 = LENGTH"'

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        """Return the value, or say how it is typed."""
        number = r"\s*([-+]?\d+(?:\.\d*)?|[-+]?\.\d+)\s*"
        found = re.fullmatch(rf"{number},{number}\s{number},{number}=\s*(\S.*)", value)
        if found is None:
            self.fail(
                f"“{value}” is not two points and a length; type it as 10,20 310,20 = 200mm",
                param,
                ctx,
            )
        x1, y1, x2, y2 = (float(found[i]) for i in range(1, 5))
        try:
            return LengthDatum((x1, y1), (x2, y2), parse_length(found[5]))
        except SilhuetaError as error:
            self.fail(str(error), param, ctx)


class Corners(click.ParamType[Any]):
    """Four points in px: "x,y x,y x,y x,y"."""

    name = '"x,y x,y x,y x,y"'

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        """Return the value, or say how it is typed."""
        try:
            corners = tuple(tuple(float(v) for v in pair.split(",")) for pair in value.split())
        except ValueError:
            corners = ()
        if len(corners) != 4 or any(len(pair) != 2 for pair in corners):
            text = f"“{value}” is not four points; type them as 10,20 310,20 310,200 10,200"
            self.fail(text, param, ctx)
        return corners


class Box(click.ParamType[Any]):
    """A box in px: "x,y,w,h"."""

    name = '"x,y,w,h"'

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        """Return the value, or say how it is typed."""
        try:
            x, y, width, height = (float(v) for v in value.split(","))
            return Crop(x, y, width, height)
        except (ValueError, SilhuetaError):
            text = f"“{value}” is not a box; type it as x,y,width,height in px, 2 px wide at least"
            self.fail(text, param, ctx)


class Band(click.ParamType[Any]):
    """Two greys: "LO-HI"."""

    name = "LO-HI"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        """Return the value, or say how it is typed."""
        found = re.fullmatch(r"\s*(\d+(?:\.\d+)?)\s*-\s*(\d+(?:\.\d+)?)\s*", value)
        if found is None or not 0 <= float(found[1]) < float(found[2]) <= 255:
            self.fail(f"“{value}” is not a band of greys; type it as 60-140", param, ctx)
        return float(found[1]), float(found[2])


class Colour(click.ParamType[Any]):
    """A colour: "#rrggbb"."""

    name = "#rrggbb"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        """Return the value, or say how it is typed."""
        found = re.fullmatch(r"#?([0-9a-fA-F]{6})", value.strip())
        if found is None:
            self.fail(f"“{value}” is not a colour; type it as #c8202a", param, ctx)
        return tuple(bytes.fromhex(found[1]))


class Angle(click.ParamType[Any]):
    """An angle from 0 to 180 degrees: "35deg" or "35"."""

    name = "ANGLE"

    def convert(
        self, value: Any, param: click.Parameter | None, ctx: click.Context | None
    ) -> float:
        """Return the value, or say how it is typed."""
        found = re.fullmatch(r"\s*(\d+(?:\.\d+)?)\s*(?:deg|°)?\s*", str(value))
        if found is None or float(found[1]) > 180:
            self.fail(f"“{value}” is not an angle; type it as 35deg", param, ctx)
        return float(found[1])
