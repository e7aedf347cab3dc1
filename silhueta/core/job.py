"""A job: everything that undo must bring back, and nothing about how it is shown.

Words used here
    datum    what fixes the scale of a picture
    speck    a loop too small to be worth a cut
    keep     which loops of the nesting are taken: all, outer only, outer with their holes

All values are frozen and shared between versions of a job. An edit is a function Job -> Job that
returns the job itself when nothing changes.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace

from silhueta.core.card import Card
from silhueta.core.cut_file_settings import CutFileSettings as CutFileSettings
from silhueta.core.cut_file_settings import FrameOrigin as FrameOrigin
from silhueta.core.datums import (
    UNKNOWN,
    Datum,
    GaugeDatum,
    Lean,
    LengthDatum,
    Optics,
    RoundDatum,
    SheetDatum,
)
from silhueta.core.geometry.outline import Contour, Outline, keyed
from silhueta.core.inspect_settings import Limits, Waved
from silhueta.core.plan_settings import PlanSettings
from silhueta.core.relations import Dimension, Ref, Relation
from silhueta.core.steps import Crop as Crop
from silhueta.core.steps import Step
from silhueta.core.tidy_settings import TidySettings as TidySettings
from silhueta.core.trace_settings import DEFAULT_TOLERANCE_PX as DEFAULT_TOLERANCE_PX
from silhueta.core.trace_settings import Blend
from silhueta.core.trace_settings import Keep as Keep
from silhueta.core.trace_settings import Patch as Patch
from silhueta.core.trace_settings import TraceSettings as TraceSettings
from silhueta.core.words import Words

_PART_EDGE_PX, _DRAWN_EDGE_PX = 0.15, 0.05  # off all along, in a photo of a part and elsewhere
_ALIKE_EDGE_PX = 0.35  # the same of a part whose face is like its shadow; on rendered photos
_OTHER_BLEND = 0.6  # of the way to the other answer: half of it is one standard uncertainty
_OPEN_WALL = 0.27  # of its width: that lies within two uncertainties of a size
# mm a px from which shadows hide edges, and by how many of those beyond it; on the rendered photos
_COARSE_MM, _HIDDEN = 0.15, 1.0
Frame = tuple[float, float, float, float]  # left, bottom, right, top, mm


@dataclass(frozen=True, eq=False)
class PictureFile:
    """A picture as it came: its bytes and its name. Decoded on demand (picture.decode)."""

    data: bytes = field(repr=False)
    name: str
    page: int = 0  # of a PDF or TIFF, from 0
    dpi: float | None = None  # at which a PDF's page is drawn


@dataclass(frozen=True)
class Inputs:
    """All that an outline follows from, besides the picture; in this one place."""

    datums: tuple[Datum, ...]
    settings: TraceSettings
    optics: Optics = UNKNOWN
    clean: tuple[Step, ...] = ()


@dataclass(frozen=True)
class TraceStamp:
    """What an outline was traced from, and what came of it besides the outline.

    Parameters
    ----------
    inputs : Inputs
        As they stood then; when the job's differ, the outline is stale.
    mm_per_px : float
    level : float
        Grey value of the edge, 0 to 255.
    dropped : int
        Loops left out as specks.
    deviation_mm, deviation_mean, deviation_p95 : float
        Largest and mean distance of the picture's edge from the outline, mm, and what 95 % of it
        keep within.
    noise_mm : float
        Standard deviation of a point of the edge.
    along_mm : float
        Length over which that goes along; 0: not told.
    tolerance_mm : float
        By how much the outline may leave it, as it was kept; 0: not told.
    rims : int
        Dark strips along the picture's border that were left out.
    kept, replaced : int
        Loops that a person had touched and that stayed, and others traced anew beside them.
    doubts : tuple of (x mm, y mm, text)
        Places where something may be wrong, and what.
    wall_mm : float
        Width of wall that looks like the face and may be some of it; 0: none.
    lean : Lean or None
        How the camera leaned, where datums do not tell and the picture does.
    alike : bool
        Whether the part's face is like its shadow, so that edges are told less closely.
    lost_mm : (float, float)
        Standard uncertainty of width and height, mm, by sides of it without a sharp edge.
    blend_mm : float
        How far edges lie from where they would with the picture's values blended the other way,
        where that could not be told; 0: it was.
    light : {"auto", "linear", "stored"}
        How they were taken to be blended.

    """

    inputs: Inputs
    mm_per_px: float
    level: float
    dropped: int
    deviation_mm: float
    deviation_mean: float = 0.0
    deviation_p95: float = 0.0
    noise_mm: float = 0.0
    tolerance_mm: float = 0.0
    rims: int = 0
    kept: int = 0
    replaced: int = 0
    doubts: tuple[tuple[float, float, str], ...] = ()
    along_mm: float = 0.0
    wall_mm: float = 0.0
    lean: Lean | None = None
    alike: bool = False
    lost_mm: tuple[float, float] = (0.0, 0.0)
    blend_mm: float = 0.0
    light: Blend = "auto"

    @property
    def whole_mm(self) -> float:
        """Standard uncertainty of where a whole edge lies, mm, that its noise does not tell.

        Of a part in a photo: what lens blur, stray light and broken edges hide, as on the rendered
        photos of docs/figures.md; more where its face is like its shadow. Also a wall that may be
        face, what a coarse picture hides, and the other answer where it is open how the picture
        was blended: it lies within 95 % then.
        """
        part = self.inputs.settings.mode == "part"
        seen = _ALIKE_EDGE_PX if self.alike else _PART_EDGE_PX
        edge = (seen if part else _DRAWN_EDGE_PX) * self.mm_per_px
        other = _OTHER_BLEND * self.blend_mm
        return math.hypot(edge, _OPEN_WALL * self.wall_mm, self.hidden_mm, other)

    @property
    def hidden_mm(self) -> float:
        """Standard uncertainty of the edge of a thick part in a coarse picture, mm; 0: a fine one.

        Shadow and wall beside it are some tenths of a mm wide: where pixels are as large as that,
        they run into each other and into the edge.
        """
        optics = self.inputs.optics
        thick = optics.thickness > 0 or optics.thickness_open
        if self.inputs.settings.mode != "part" or not thick:
            return 0.0
        return _HIDDEN * max(self.mm_per_px - _COARSE_MM, 0.0)

    @property
    def coarse(self) -> bool:
        """Whether coarse pixels hide more of a thick part's edge than anything else does."""
        return self.hidden_mm > _PART_EDGE_PX * self.mm_per_px


@dataclass(frozen=True, eq=False)
class Job:
    """One sheet of work. Compared by identity.

    Parameters
    ----------
    name : str
    picture : PictureFile or None
    datums : tuple of Datum
        What fixes the scale, all together (datum.solve). Empty: no true size yet.
    optics : Optics
    clean : tuple of Step
        In the order they were taken.
    trace : TraceSettings
    outline : Outline
        In mm; what was traced from the parts above, or edited since. Each contour has its key.
    traced : TraceStamp or None
        None before the first trace.
    tidy : TidySettings
    cut_file : CutFileSettings
    relations : tuple of Relation
        What is to hold exactly in the outline (truing).
    calipers : tuple of Dimension
        Measured on the real part.
    zero : tuple of Ref
        Where a chosen zero point is: a round's centre, or where two edges meet.
    words : tuple of Words
        Lettering that can still be typed anew.
    inspect : Limits
        What the part is held against at Inspect, as a person set it.
    waved : tuple of Waved
        Findings that a person let pass.
    plan : PlanSettings
        How it is cut, as far as a person decided that.
    left_out : tuple of (str, int)
        How many texts and pictures the drawing had that it came from, which are no outline.
    card : Card
        What a person says of it.
    page : (left, bottom, right, top) or None, mm
        That an imported outline came on, as large as the outline is.
    last_key : int
        The last that was given to a contour.

    """

    name: str = "Untitled"
    picture: PictureFile | None = None
    datums: tuple[Datum, ...] = ()
    optics: Optics = UNKNOWN
    clean: tuple[Step, ...] = ()
    trace: TraceSettings = field(default_factory=TraceSettings)
    outline: Outline = field(default_factory=Outline)
    traced: TraceStamp | None = None
    tidy: TidySettings = field(default_factory=TidySettings)
    cut_file: CutFileSettings = field(default_factory=CutFileSettings)
    relations: tuple[Relation, ...] = ()
    calipers: tuple[Dimension, ...] = ()
    zero: tuple[Ref, ...] = ()
    words: tuple[Words, ...] = ()
    inspect: Limits = field(default_factory=Limits)
    waved: tuple[Waved, ...] = ()
    plan: PlanSettings = field(default_factory=PlanSettings)
    left_out: tuple[tuple[str, int], ...] = ()
    card: Card = field(default_factory=Card)
    page: Frame | None = None
    last_key: int = 0

    def __post_init__(self) -> None:
        """Give every contour of the outline its key."""
        outline, last = keyed(self.outline, self.last_key)
        object.__setattr__(self, "outline", outline)
        object.__setattr__(self, "last_key", last)

    @property
    def inputs(self) -> Inputs:
        """What an outline follows from as the job stands."""
        return Inputs(self.datums, self.trace, self.optics, self.clean)

    @property
    def lean(self) -> Lean | None:
        """How the camera leaned, as the trace of these very datums and optics found it."""
        if self.traced is None:
            return None
        then = self.traced.inputs
        same = (then.datums, then.optics, then.clean) == (self.datums, self.optics, self.clean)
        return self.traced.lean if same else None


def set_picture(job: Job, picture: PictureFile, name: str, datum: Datum | None) -> Job:
    """Return a job that begins with `picture`: nothing traced yet, the scale from `datum`."""
    datums = () if datum is None else (datum,)
    return replace(_begun(job, name), picture=picture, datums=datums)


def _begun(job: Job, name: str) -> Job:
    """Return a new job, with what a person chose for the last one and wants for the next, too."""
    return Job(
        name,
        trace=job.trace,
        tidy=job.tidy,
        cut_file=job.cut_file,
        inspect=job.inspect,
        plan=replace(job.plan, by_hand=(), first=()),
        last_key=job.last_key,
    )


def set_datums(job: Job, datums: tuple[Datum, ...]) -> Job:
    """Return `job` with these datums fixing the scale together."""
    return job if job.datums == datums else replace(job, datums=datums)


def set_imported(job: Job, outline: Outline, name: str, page: Frame | None = None) -> Job:
    """Return a job that begins with an outline as another program drew it, and no picture."""
    return replace(_begun(job, name), outline=outline, page=page)


def add_datum(job: Job, datum: Datum) -> Job:
    """Return `job` with `datum` beside those that it can be combined with, in place of the others.

    Sheet, gauge sheet, lengths and rounds work together; each of the other kinds stands alone.
    """
    measured = (SheetDatum, GaugeDatum, LengthDatum, RoundDatum)
    if not isinstance(datum, measured):
        return set_datums(job, (datum,))
    kept = [other for other in job.datums if isinstance(other, measured)]
    if isinstance(datum, SheetDatum | GaugeDatum):
        kept = [other for other in kept if not isinstance(other, SheetDatum | GaugeDatum)]
    kept = [other for other in kept if not _same_place(other, datum)]
    return set_datums(job, (*kept, datum))


def _same_place(one: Datum, two: Datum) -> bool:
    if isinstance(one, LengthDatum) and isinstance(two, LengthDatum):
        return (one.start, one.end) == (two.start, two.end)
    return isinstance(one, RoundDatum) and isinstance(two, RoundDatum) and one.centre == two.centre


def set_optics(job: Job, optics: Optics) -> Job:
    """Return `job` with another thickness or focal length."""
    return job if job.optics == optics else replace(job, optics=optics)


def set_clean(job: Job, steps: tuple[Step, ...]) -> Job:
    """Return `job` with other steps that clean its picture."""
    return job if job.clean == steps else replace(job, clean=steps)


def set_trace(job: Job, settings: TraceSettings) -> Job:
    """Return `job` with other trace settings."""
    return job if job.trace == settings else replace(job, trace=settings)


def set_tidy(job: Job, settings: TidySettings) -> Job:
    """Return `job` with other limits of what is clean."""
    return job if job.tidy == settings else replace(job, tidy=settings)


def set_card(job: Job, card: Card) -> Job:
    """Return `job` with something else said of it."""
    return job if job.card == card else replace(job, card=card)


def set_cut_file(job: Job, settings: CutFileSettings) -> Job:
    """Return `job` with other settings for the cut file."""
    return job if job.cut_file == settings else replace(job, cut_file=settings)


def set_inspect(job: Job, limits: Limits) -> Job:
    """Return `job` held against other limits."""
    return job if job.inspect == limits else replace(job, inspect=limits)


def set_plan(job: Job, settings: PlanSettings) -> Job:
    """Return `job` cut in another way."""
    return job if job.plan == settings else replace(job, plan=settings)


def words_followed(before: Job, after: Job) -> Job:
    """Return a job after an edit without words whose outlines that edit changed by itself."""
    if after.words != before.words or after.outline is before.outline:
        return after
    old = {c.key: c.path for c in before.outline.contours}
    new = {c.key: c.path for c in after.outline.contours}
    kept = tuple(w for w in after.words if all(old.get(k) is new.get(k) for k in w.keys))
    return after if kept == after.words else replace(after, words=kept)


def set_outline(job: Job, outline: Outline, stamp: TraceStamp) -> Job:
    """Return `job` with what was traced."""
    return replace(job, outline=outline, traced=stamp)


def with_outline(job: Job, outline: Outline) -> Job:
    """Return `job` with its outline changed by hand: what it was traced from stays noted."""
    return job if outline is job.outline else replace(job, outline=outline)


def is_stale(job: Job) -> bool:
    """Return whether the outline no longer follows from the picture, datums and settings."""
    if job.picture is None:
        return False
    return job.traced is None or job.traced.inputs != job.inputs


def touched(outline: Outline) -> tuple[Contour, ...]:
    """Return the contours that a person has changed, drawn or locked."""
    return tuple(c for c in outline.contours if c.locked or c.origin in ("edited", "drawn"))
