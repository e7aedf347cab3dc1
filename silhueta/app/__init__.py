"""The window: Qt, and no mathematics."""
