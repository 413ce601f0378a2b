"""Pieces as files, to move them between installations: an archive that other programs open as OpenRaster.

It is an OpenRaster file (the freedesktop.org draft, version 0.0.5) of the piece's layers, with 16 bits a
sample, to which a folder ``enamel`` is added::

    enamel/piece.json     everything else that is known of the piece, see `PieceArchive` in `contents`
    enamel/base/NAME      the base file as it was imported, byte for byte
    enamel/laid/HASH.png  pictures from outside that are laid over its layers

Layers are named by the hash of their pixels, models by the hash of their files. Nothing in an archive is
trusted: what is read is bounded, and pixels that do not have their hash are refused.
"""
