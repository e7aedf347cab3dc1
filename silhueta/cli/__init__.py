"""The command line: one file a command, and what they have in common."""

from silhueta.cli.program import app, main

__all__ = ["app", "main"]
