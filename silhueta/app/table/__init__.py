"""The table: the drawing area at true scale."""
