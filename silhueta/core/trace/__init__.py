"""Stop Trace: from grey values to lines and arcs."""
