"""Lines, arcs and curves through points: what tracing, tidying and truing share."""
