"""A piece's workspace: the picture, its section, and the panel of each task, which other apps supply."""
