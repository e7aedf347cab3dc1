"""Everything that may go wrong and is worth telling a person.

A message says what is wrong, where, and what to do, in one sentence or two. Only the text of
a :class:`SilhuetaError` reaches a person; any other exception is a bug.
"""

from __future__ import annotations


class SilhuetaError(Exception):
    """Base of all faults that a person can do something about."""


def reason_of(error: OSError) -> str:
    """Return what the system said is wrong, as the middle of a sentence."""
    return (error.strerror or "the system refused").lower()


class GeometryError(SilhuetaError, ValueError):
    """An outline that cannot be."""


class UnitsError(SilhuetaError, ValueError):
    """A length that cannot be understood."""


class PictureError(SilhuetaError):
    """A picture that cannot be read or used."""


class ScaleError(SilhuetaError, ValueError):
    """A datum that cannot fix the scale."""


class TraceError(SilhuetaError):
    """A picture in which no outline can be found with the present settings."""


class TooMuchError(TraceError):
    """So many edges that a person should be asked first.

    Parameters
    ----------
    text : str
    points : int
        Edge points found.
    speck : float, mm²
        Speck limit that would leave a thousand loops.

    """

    def __init__(self, text: str, points: int, speck: float) -> None:
        super().__init__(text)
        self.points, self.speck = points, speck


class EditError(SilhuetaError, ValueError):
    """An edit with settings that make no sense."""


class TruingError(SilhuetaError, ValueError):
    """What is to hold exactly and cannot; `relation` is the place in the list of the culprit."""

    def __init__(self, text: str, relation: int | None = None) -> None:
        super().__init__(text)
        self.relation = relation


class FileError(SilhuetaError):
    """A file that cannot be read, written or proven."""


class StoppedError(SilhuetaError):
    """Work that a person stopped, or that a newer request replaced."""
