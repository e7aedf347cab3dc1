"""Print which share of the code the tests are."""

from __future__ import annotations

from pathlib import Path

ROOT = Path(__file__).parent.parent


def lines(folder: str) -> int:
    """Return the lines of all Python files below a folder."""
    return sum(len(file.read_text().splitlines()) for file in (ROOT / folder).rglob("*.py"))


if __name__ == "__main__":
    tests, code = lines("tests"), lines("silhueta")
    print(
        f"tests are {tests / (tests + code):.1%} of tests and code "
        f"({tests} of {tests + code} lines)"
    )
