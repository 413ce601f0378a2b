"""A print shop on loopback, standing in for a real one.

It knows nothing of Enamel: it takes files over HTTP, looks at them as a shop would, and answers. What it
speaks is in docs/guide/print-shop.md and docs/reference/print-shop.openapi.json, so that a real shop can
take its place.
"""
