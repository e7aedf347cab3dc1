"""The card of a job, so that it is found again: description, words, maker, customer."""

from __future__ import annotations

from dataclasses import dataclass

_MOST = 4000  # letters of a text; an index of 5,000 jobs stays small, and nobody reads more
_WORDS = 60  # at most, and letters of each


@dataclass(frozen=True)
class Card:
    """What a person says of a job; all of it may be empty.

    Parameters
    ----------
    description : str
    words : tuple of str
        To be found by, in no order.
    maker, customer : str

    """

    description: str = ""
    words: tuple[str, ...] = ()
    maker: str = ""
    customer: str = ""

    def __post_init__(self) -> None:
        """Shorten what is longer than anybody types, so that no file can fill the memory."""
        for name in ("description", "maker", "customer"):
            object.__setattr__(self, name, getattr(self, name)[:_MOST])
        object.__setattr__(self, "words", tuple(one[:_WORDS] for one in self.words[:_WORDS]))


def words_typed(text: str) -> tuple[str, ...]:
    """Return words as they were typed, with commas or semicolons between; each once.

    >>> words_typed("heron, garden;  heron,")
    ('heron', 'garden')
    """
    parts = (part.strip() for part in text.replace(";", ",").split(","))
    return tuple(dict.fromkeys(part for part in parts if part))
