"""The computation: no Qt below here, no globals, no printing."""
