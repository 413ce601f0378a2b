"""A hired renderer on loopback, standing in for a real one.

It fires single coats for money: an offer first, then pictures in, its own queue, a picture out. It
uses Enamel's engine and knows nothing of its pages. What it speaks is in docs/guide/bureau.md and
docs/reference/bureau.openapi.json, so that a real one can take its place.
"""
