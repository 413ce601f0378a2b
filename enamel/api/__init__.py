"""What scripts may ask of Enamel: the same as artists, over HTTP, in JSON. Described in docs/api.md."""
