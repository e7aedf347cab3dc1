"""One typed door to the compiler for the loops that NumPy cannot express."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar, cast

import numba
import numpy as np
from numpy.typing import NDArray

F = TypeVar("F", bound=Callable[..., Any])


def compiled(function: F) -> F:
    """Compile `function` at its first call; kept on disk, free of the interpreter's lock.

    Division by zero gives infinity or NaN, as NumPy has it.
    """
    return cast("F", numba.njit(cache=True, nogil=True, error_model="numpy")(function))


@compiled
def doubled(rows: NDArray[Any], used: int) -> NDArray[Any]:
    """Return an array (2 n, k) with the first `used` of `rows` (n, k), and zeros after them."""
    grown = np.zeros((2 * rows.shape[0], rows.shape[1]), rows.dtype)
    grown[:used] = rows[:used]
    return grown
