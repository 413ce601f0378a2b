"""Prints: sizes, papers and shapes, how a picture is placed on them, colours as they will be printed."""
