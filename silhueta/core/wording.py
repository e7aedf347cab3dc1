"""How counts are said to people."""

from __future__ import annotations


def counted(count: int, one: str, several: str | None = None) -> str:
    """Return a count with its word: "1 loop", "2 loops", "1,200 nodes".

    Parameters
    ----------
    count : int
    one : str
    several : str, optional
        What several are called; `one` with an s when it is not given.

    """
    return f"{count:,} {one if count == 1 else several or one + 's'}"


def open_wall(width: str) -> str:
    """Return the words on walls that look like the face, `width` wide in the picture."""
    return (
        f"the part's walls look just like its face, so where they show the edge may be off by "
        f"their width, {width}: take the photo from straight above and further away, or in light "
        "from another side"
    )


def open_blend(apart: str) -> str:
    """Return the words on a picture that may be a scan or a program's, `apart` being at stake."""
    return (
        f"it could not be told whether this is a scan or was drawn by a program: edges lie {apart} "
        "further out in one case, which the ± counts in"
    )


def coarse(pixel: str) -> str:
    """Return the words on a picture whose pixels are as large as `pixel`, for a thick part."""
    return (
        f"the picture is coarse ({pixel} a pixel), so that shadow and wall run into the part's "
        "edge, which its ± counts in: take the photo from nearer, or with more pixels"
    )


def leaned(angle: float, sure: float, holes: int) -> str:
    """Return the words on a camera that leaned by `angle`, known to `sure` (95 %), both degrees."""
    return (
        f"leaned by {angle:.1f}° ± {sure:.1f}°, as the walls in {counted(holes, 'round hole')} "
        f"{'shows' if holes == 1 else 'show'}"
    )


# what a long computation is at (the names that :class:`silhueta.core.work.Work` is told)
_STAGES = {
    "read": "Reading the file",
    "scale": "Finding the scale",
    "clean": "Cleaning the picture",
    "rectify": "Straightening the photo",
    "ground": "Finding the part",
    "threshold": "Finding the grey of the edge",
    "contours": "Following the edges",
    "colours": "Splitting the colours",
    "pen line": "Finding the pen's lines",
    "fit": "Fitting lines and arcs",
    "check": "Measuring how far the line is off",
    "true up": "Making exact",
    "build": "Putting together",
    "inspect": "Looking for what would go wrong",
    "plan": "Planning the cut",
    "rehearse": "Running the file",
    "photo": "Making up a photo",
    "write": "Writing and reading back",
    "report": "Writing the report",
    "frame": "Looking for a frame",
    "specks": "Looking for specks",
    "coincident": "Looking for nodes on top of each other",
    "doubles": "Looking for double lines",
    "gaps": "Looking for gaps",
    "spikes": "Looking for hairpins",
    "crossings": "Looking for self-crossings",
    "short": "Looking for short segments",
    "thin": "Looking for needless nodes",
    "necks": "Looking for near misses",
}


def stage_words(stage: str) -> str:
    """Return what is said to a person while a stage of a computation goes on."""
    return _STAGES.get(stage, stage.capitalize())
