"""The stop Trace."""
