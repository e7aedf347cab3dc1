"""Everything that may go wrong and is worth telling a person.

A message says what is wrong, where, and what to do, in one sentence or two. Only the text of
a :class:`SilhuetaError` reaches a person; any other exception is a bug.
"""

from __future__ import annotations


class SilhuetaError(Exception):
    """Base of all faults that a person can do something about."""


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


class EditError(SilhuetaError, ValueError):
    """An edit with settings that make no sense."""


class FileError(SilhuetaError):
    """A file that cannot be read, written or proven."""


class StoppedError(SilhuetaError):
    """Work that a person stopped, or that a newer request replaced."""
