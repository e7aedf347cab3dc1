"""Tidy: every loop closed, single, and with only the nodes it needs."""
