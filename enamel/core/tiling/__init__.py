"""The tiled engine: cutting, words for tiles, the two modes of a pass, and what joins and colour need."""
