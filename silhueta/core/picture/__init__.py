"""Stop Picture: from a file's bytes to grey values."""
