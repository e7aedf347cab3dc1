"""What each place of a photo looks like, held against the ground that should be there.

Words used here
    look      of a pixel: the logarithm of its light relative to the ground, and two colour shares
    ground    sheet or bench; on the sheet its look is known wherever it is bare
    unlike    not what the ground looks like in full light
    shade     what the ground would look like with less light: darker by one factor, nearly the
              same colour, no grain of its own
    grain     how much a surface changes within some tenths of a millimetre, against its noise

All in linear light. Colour is kept as shares of red and blue in the light (chromaticities), drawn
towards neutral where there is hardly any light, so that the noise of dark places stays small.

References
----------
P. J. Huber, "Robust Statistics", 1981, chapter 7, for fits that leave out what does not belong.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.compiled import compiled
from silhueta.core.errors import TraceError
from silhueta.core.geometry.path import Floats

Mask = NDArray[np.bool_]
Light = NDArray[np.float32]

_DARK = 0.003  # light added before the logarithm: what a camera makes of black
_FAINT = 0.006  # light added to each colour before the shares
_COLOUR = 5.0  # weight of a share against a logarithm of light
_LEAST = (0.03, 0.02, 0.02)  # spread of a bench's look that is always allowed
_ON_SHEET = 0.13  # difference of look from which something is no bare paper
_OFF_SHEET = 4.5  # spreads from the bench's look
_SHADES = (0.9, 0.8, 0.7, 0.6, 0.5, 0.42, 0.35, 0.29, 0.24, 0.2, 0.16, 0.13, 0.1)
_DEEP = (0.2, 0.14, 0.1, 0.07, 0.05, 0.035, 0.02, 0.012)
_LIKE_SHADE, _LIKE_DEEP = 1.25, 3.5
_GRAINED, _BENCH_GRAINED = 2.2, 3.0  # times the grain of bare ground
_QUIET = 0.004  # grain of paper in a good photo: the slope of a soft shadow may be as much
_WIDE_GRAIN = 7  # px of grain without a gap
_SMALL = 160  # px of the long side on which the light is worked out
_DEGREE = 3


class UntoldError(TraceError):
    """Looks do not tell part and ground apart; strokes of a person and edges still may."""

    def __init__(self) -> None:
        super().__init__(
            "part and ground cannot be told apart here; paint a stroke of ink on the part and one "
            "of scrape on the ground at Picture, or lay the part on plain ground of another colour"
        )


class Seen(NamedTuple):
    """A small picture of the scene, and what is known of it beforehand.

    light : (H, W, 3) of float32
        Red, green and blue, linear, 0 to 1.
    grain : (H, W) of float32
    domain : (H, W) of bool
        Where the part may be.
    on, off : (H, W) of bool
        On the sheet, and on the bench, clear of the sheet's edge between them. `on` is empty
        without a sheet that the part may lie on.
    mm : float
        Side of a pixel.
    thickness : float, mm
    steep : (H, W) of float32
        Steepest change of the logarithm of light within each pixel, a px of the fine picture.
    """

    light: Light
    grain: Light
    domain: Mask
    on: Mask
    off: Mask
    mm: float
    thickness: float
    steep: Light

    def window(self, box: tuple[slice, slice]) -> Seen:
        """Return the same for a box of the picture."""
        return self._replace(
            light=self.light[box],
            grain=self.grain[box],
            domain=self.domain[box],
            on=self.on[box],
            off=self.off[box],
            steep=np.ascontiguousarray(self.steep[box]),
        )


class Looks(NamedTuple):
    """The look (H, W, 3) of each pixel, and what that says of it.

    `deep` is shade so dark that its colour can hardly be told: a black part looks like it, too.
    """

    look: Light
    unlike: Mask
    shade: Mask
    deep: Mask

    def tinted(self, colour: Light) -> Looks:
        """Return the same with another colour (H, W, 2)."""
        return self._replace(look=np.dstack([self.look[..., 0], colour]))


def colours_of(light: Light) -> Light:
    """Return the shares of red and blue in the light (..., 3), weighted, as (..., 2)."""
    raised = light + np.float32(_FAINT)
    total = raised[..., 0] + raised[..., 1] + raised[..., 2]
    return np.asarray(
        _COLOUR * np.stack([raised[..., 0] / total, raised[..., 2] / total], -1), np.float32
    )


def log_light(light: Light) -> Light:
    """Return the mean logarithm of the light (..., 3), as (...)."""
    raised = light + np.float32(_DARK)
    product = raised[..., 0] * raised[..., 1] * raised[..., 2]
    return np.asarray(np.log(product) / 3, np.float32)


def disc(side: float) -> NDArray[np.uint8]:
    """Return a disc so many px wide, made odd, for morphology."""
    import cv2

    wide = round(side) | 1
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (wide, wide)), np.uint8)


def where_fits(mask: Mask, shape: NDArray[np.uint8]) -> Mask:
    """Return what of a mask (H, W) a shape fits into wholly."""
    import cv2

    return np.asarray(cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_OPEN, shape) > 0)


def largest_piece(mask: Mask) -> Mask:
    """Return the largest piece of a mask (H, W) that hangs together, over corners too."""
    import cv2

    _, labels, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8))
    if len(stats) < 2:
        return np.zeros_like(mask)
    return np.asarray(labels == 1 + int(stats[1:, cv2.CC_STAT_AREA].argmax()))


def mm_from(mask: Mask, mm: float) -> Light:
    """Return how far each place is from a mask (H, W), mm; `mm`: side of a pixel."""
    import cv2

    return np.asarray(cv2.distanceTransform((~mask).astype(np.uint8), cv2.DIST_L2, 3) * mm)


def smaller(light: Light, shape: tuple[int, ...]) -> Light:
    """Return light (H, W, 3) averaged down to a picture of that shape (h, w)."""
    import cv2

    size = (shape[1], shape[0])
    return np.asarray(cv2.resize(light, size, interpolation=cv2.INTER_AREA), np.float32)


def largest(values: Light | Floats) -> NDArray[Any]:
    """Return the largest of three values (..., 3) at each place; NumPy's own way is slow here."""
    return np.maximum(np.maximum(values[..., 0], values[..., 1]), values[..., 2])


class Bench(NamedTuple):
    """Look of the bench: middle (3,), covariance (3, 3), its light (3,), and its grain."""

    middle: Floats
    spread: Floats
    light: Floats
    grain: float


class Grounds(NamedTuple):
    """What the ground looks like.

    light : (H, W)
        Logarithm of the light on it.
    neutral : (2,)
        Its colour, which looks are told against.
    paper : ((3,), float), or None
        The sheet's light, and its grain.
    bench : Bench or None
    """

    light: Light
    neutral: Light
    paper: tuple[Floats, float] | None
    bench: Bench | None

    def window(self, box: tuple[slice, slice], size: tuple[int, int]) -> Grounds:
        """Return the same for a box of the picture, shown (width, height) px large."""
        import cv2

        light = cv2.resize(np.ascontiguousarray(self.light[box]), size)
        return self._replace(light=np.asarray(light, np.float32))


def grounds_of(seen: Seen) -> Grounds:
    """Return what sheet and bench look like, as far as they show."""
    level = log_light(seen.light)
    colour = colours_of(seen.light)
    on, off = seen.on, seen.off
    has_sheet, has_bench = bool(on.sum() > 200), bool(off.sum() > 500)
    grain = _calm(seen.grain)
    paper: tuple[Floats, float] | None = None
    bench: Bench | None = None
    if has_sheet:
        light = ground_light(level, on, one_sided=True)
        bare = on & (np.abs(level - light) < 0.1)
        bare = bare if bare.any() else on
        neutral = np.median(colour[bare], axis=0)
        paper = (_typical(seen.light[on]), float(np.median(grain[on])))
    else:
        light = ground_light(level, seen.domain, one_sided=False)
        neutral = np.median(colour[_rim_of(seen.domain)], axis=0)
    neutral = np.asarray(neutral, np.float32)
    if has_bench:
        look = np.dstack([level - light, colour - neutral])
        middle, spread = _bench(look, off)
        plain = off & (_away(look, middle, spread) < 2)
        usual = np.maximum(_typical(seen.light[plain if plain.any() else off]), 1e-3)
        bench = Bench(middle, spread, usual, float(np.median(grain[off])))
    return Grounds(light, neutral, paper, bench)


def looks_of(seen: Seen, grounds: Grounds) -> Looks:
    """Return what each place looks like, where that is unlike the ground, and where mere shade."""
    import cv2

    look = np.dstack(
        [log_light(seen.light) - grounds.light, colours_of(seen.light) - grounds.neutral]
    ).astype(np.float32)
    on, off = seen.on, seen.off
    unlike, shade, deep = (np.zeros_like(on) for _ in range(3))
    grain = _calm(seen.grain)
    if grounds.paper is not None:
        paper, usual = grounds.paper
        away = np.maximum(np.abs(look[..., 0]), np.hypot(look[..., 1], look[..., 2]))
        unlike |= on & (away > _ON_SHEET)
        like = _like_shade(look, paper, _SHADES, _LIKE_SHADE) & (look[..., 0] < -0.06)
        shade |= on & like & ~_wide(on & (grain > _GRAINED * max(usual, _QUIET)))
        deep |= on & _like_shade(look, paper, _DEEP, _LIKE_DEEP)
    if grounds.bench is not None:
        bench = grounds.bench
        unlike |= off & (_away(look, bench.middle, bench.spread) > _OFF_SHEET)
        own = np.sqrt(np.diag(bench.spread)).astype(np.float32)
        difference = look - bench.middle.astype(np.float32)
        nearer = np.sign(difference) * np.maximum(np.abs(difference) - own, 0)
        like = _like_shade(nearer, bench.light, _SHADES, _LIKE_SHADE) & (nearer[..., 0] < -0.06)
        deep |= off & _like_shade(nearer, bench.light, _DEEP, _LIKE_DEEP)
        shade |= off & like & ~_wide(off & (grain > _BENCH_GRAINED * max(bench.grain, _QUIET)))
    if on.any() and off.any():  # the strip along the sheet's edge is of neither: as beside it
        strip = seen.domain & ~on & ~off
        side = 2 * int(2.6 / seen.mm) + 1
        kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
        for mask in (unlike, shade, deep):
            filled = cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_CLOSE, kernel) > 0
            mask |= strip & filled
    return Looks(look, unlike, shade & unlike, deep & unlike)


def _calm(grain: Light) -> Light:
    """Return the grain of surfaces, without that of the lines between them."""
    import cv2

    return np.asarray(cv2.blur(cv2.erode(grain, np.ones((3, 3), np.uint8)), (5, 5)), np.float32)


def _typical(light: Light) -> Floats:
    return np.asarray(np.exp(np.median(np.log(light + _DARK), axis=0)) - _DARK, np.float64)


def _away(look: Light, middle: Floats, spread: Floats) -> Light:
    """Return how many spreads each look lies from a middle."""
    difference = look - middle.astype(np.float32)
    inverse = np.linalg.inv(spread).astype(np.float32)
    squared = np.einsum("...i,ij,...j->...", difference, inverse, difference, optimize=True)
    return np.asarray(np.sqrt(np.maximum(squared, 0)), np.float32)


def _wide(mask: Mask) -> Mask:
    import cv2

    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (_WIDE_GRAIN, _WIDE_GRAIN))
    return np.asarray(cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_OPEN, kernel) > 0)


def _like_shade(look: Light, ground: Floats, shares: tuple[float, ...], most: float) -> Mask:
    """Return where a look, relative to the ground's, is that of the ground with less light.

    A lamp and the light all round differ in colour along blue and yellow, so a shadow's colour
    may be off that way, the more the deeper it is, but hardly along green and magenta.
    """
    base = np.asarray(ground, np.float32)[None]
    level, colour = log_light(base)[0], colours_of(base)[0]
    darker = base * np.array(shares, np.float32)[:, None]
    fall = log_light(darker) - level
    off = colours_of(darker) - colour
    depth = np.minimum(-np.log(np.array(shares, np.float32)), 1.5)
    table = np.column_stack([fall, off, 0.10 + 0.12 * depth, 0.05 + 0.03 * depth])
    flat = np.ascontiguousarray(look, np.float32).reshape(-1, 3)
    away = _nearest_shade(flat, table.astype(np.float32))
    return np.asarray(away < most**2).reshape(look.shape[:2])


@compiled
def _nearest_shade(look: Light, table: Light) -> Light:
    """Return how far, squared, each look lies from the nearest shade of a table.

    Rows of the table: fall of light, red and blue, and how far warm and green may be off.
    """
    out = np.empty(len(look), np.float32)
    for i in range(len(look)):
        best = np.float32(99.0)
        for k in range(len(table)):
            off = (look[i, 0] - table[k, 0]) / np.float32(0.12)
            one, two = look[i, 1] - table[k, 1], look[i, 2] - table[k, 2]
            warm = (one - two) / (2 * table[k, 3])
            green = (one + two) / (2 * table[k, 4])
            best = min(best, off * off + warm * warm + green * green)
        out[i] = best
    return out


def _bench(look: Light, off: Mask) -> tuple[Floats, Floats]:
    """Return middle (3,) and covariance (3, 3) of the bench's look, what lies on it left out."""
    rim = look[_rim_of(off)].astype(np.float64)
    values = look[off].astype(np.float64)
    values = values[:: max(1, len(values) // 40_000)]
    middle = np.median(rim, axis=0)
    usual = 1.4826 * np.median(np.abs(rim - middle), axis=0) + _LEAST
    keep = (np.abs(values - middle) < 3 * usual).all(1)
    spread = np.eye(3)
    for _ in range(6):
        middle = np.median(values[keep], axis=0)
        spread = np.cov(values[keep].T) + np.diag(np.square(_LEAST))
        away = values - middle
        keep = np.einsum("ij,jk,ik->i", away, np.linalg.inv(spread), away) < 9.0
        if keep.sum() < 20:
            break
    return middle, spread


def _rim_of(mask: Mask) -> Mask:
    """Return the strip along the border of a mask, which a part in the middle does not reach."""
    import cv2

    padded = np.pad(mask.astype(np.uint8), 1)
    away = cv2.distanceTransform(padded, cv2.DIST_L2, 3)[1:-1, 1:-1]
    outer = cv2.distanceTransform(np.pad(filled_in(mask), 1), cv2.DIST_L2, 3)[1:-1, 1:-1]
    wide = 0.08 * min(mask.shape)
    rim = mask & (outer < wide) & (away > 0)
    return rim if rim.sum() > 50 else mask


def filled_in(mask: Mask) -> NDArray[np.uint8]:
    """Return a mask with its holes filled, of 0 and 1."""
    import cv2

    outlines = cv2.findContours(mask.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0]
    whole = np.zeros(mask.shape, np.uint8)
    cv2.drawContours(whole, outlines, -1, 1, -1)
    return whole


def ground_light(level: Light, mask: Mask, one_sided: bool) -> Light:
    """Return the logarithm of the light on the ground, smooth over the picture, (H, W).

    Parameters
    ----------
    level : (H, W)
        Logarithm of the light.
    mask : (H, W) of bool
        Where ground may be.
    one_sided : bool
        The ground is lighter than most of what lies on it; shadows count for nothing.

    """
    import cv2

    height, width = level.shape
    factor = min(1.0, _SMALL / max(height, width))
    size = (max(2, round(width * factor)), max(2, round(height * factor)))
    small = cv2.resize(level, size, interpolation=cv2.INTER_AREA)
    known = cv2.resize(mask.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.99
    if known.sum() < 40:
        return np.full(level.shape, np.median(level[mask]) if mask.any() else 0.0, np.float32)
    y, x = np.mgrid[-1 : 1 : size[1] * 1j, -1 : 1 : size[0] * 1j]
    # a bench without a sheet has light and grain alike: few terms, so as not to follow the part
    degree = _DEGREE if one_sided else 2
    powers = [(i, j) for i in range(degree + 1) for j in range(degree + 1 - i)]
    terms = np.stack([x**i * y**j for i, j in powers], axis=-1)
    rows, values = terms[known], small[known].astype(np.float64)
    weight = np.ones(len(values))
    if one_sided:
        weight = (values > np.quantile(values, 0.85) - 0.6).astype(float)
    else:  # of what most of the rim is like
        weight = (np.abs(values - np.median(small[_rim_of(known)])) < 0.7).astype(float)
    surface = np.zeros(len(values))
    for turn in range(8):
        use = np.array([i + j <= min(degree, 1 + turn // 2) for i, j in powers])
        ridge = 1e-3 * weight.sum() * np.eye(int(use.sum()))
        ridge[0, 0] = 1e-9
        normal = (rows[:, use] * weight[:, None]).T @ rows[:, use] + ridge
        fitted = np.linalg.solve(normal, (rows[:, use] * weight[:, None]).T @ values)
        surface = rows[:, use] @ fitted
        away = values - surface
        judged = np.abs(away[weight > 0.1]) if (weight > 0.1).any() else np.abs(away)
        spread = max(1.4826 * float(np.median(judged)), 0.01 if one_sided else 0.02)
        weight = 1 / (1 + (away / (2.5 * spread)) ** 4)
        if one_sided:
            weight[away < -0.25] = 0.0
    light = (terms[..., use] @ fitted).astype(np.float32)
    return np.asarray(cv2.resize(light, (width, height)), np.float32)
