"""A process of its own for what strangers' files do to libraries written in C."""
