"""A remote renderer on loopback, standing in for a real one.

It fires single coats for money: first an offer, then pictures in, its own queue, a picture out. It uses
Enamel's engine, and nothing of its web application. Its protocol is in docs/guide/bureau.md and
docs/reference/bureau.openapi.json, so that a real one can take its place.
"""
