"""The command line, called as a person would."""

from __future__ import annotations

import io
import sys
from contextlib import redirect_stderr, redirect_stdout


def called(*arguments: str) -> tuple[int, str]:
    """Return the exit code of the command line and what it said, called in this very process."""
    from silhueta.cli import main

    before = sys.argv
    sys.argv = ["silhueta", *arguments]
    out, err = io.StringIO(), io.StringIO()
    try:
        with redirect_stdout(out), redirect_stderr(err):
            main()
    except SystemExit as ended:
        return int(ended.code or 0), err.getvalue().strip()
    finally:
        sys.argv = before
    return 0, err.getvalue().strip()
