"""The same hand as in the tests of the window."""

from tests.app.conftest import hand

__all__ = ["hand"]
