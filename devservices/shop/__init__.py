"""A print shop on loopback, standing in for a real one.

It uses nothing of Enamel: it takes files over HTTP, inspects them as a shop would, and answers. Its
protocol is in docs/guide/print-shop.md and docs/reference/print-shop.openapi.json, so that a real shop
can take its place.
"""
