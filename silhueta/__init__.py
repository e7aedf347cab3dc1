"""Silhueta: from a photo or scan to a true-size, closed outline for cutting."""

__version__ = "0.1.0"
