"""Prints: sizes, papers and shapes, how a picture lies on them, colours as they will be printed."""
