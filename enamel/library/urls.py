"""Addresses of pieces and layers."""

from django.urls import path

from enamel.library.views import layers, pieces

urlpatterns = [
    path("", pieces.pieces, name="pieces"),
    path("pieces/import/", pieces.import_picture, name="import-pictures"),
    path("pieces/<uuid:piece_id>/base-file/", pieces.base_file, name="base-file"),
    path("pieces/<uuid:piece_id>/archive/", pieces.archive, name="piece-archive"),
    path("pieces/<uuid:piece_id>/mark/", pieces.mark, name="mark"),
    path("pieces/<uuid:piece_id>/duplicate/", pieces.duplicate, name="duplicate"),
    path("pieces/<uuid:piece_id>/split/", pieces.split, name="split"),
    path("pieces/<uuid:piece_id>/split/sheet.webp", pieces.split_picture, name="split-picture"),
    path("pieces/<uuid:piece_id>/no-sheet/", pieces.dismiss_guess, name="no-sheet"),
    path("pieces/<uuid:piece_id>/restore/", pieces.restore, name="restore-piece"),
    path("pieces/delete/", pieces.delete_pieces, name="delete-pieces"),
    path("pieces/recently-deleted/", pieces.recently_deleted, name="recently-deleted"),
    path("layers/<uuid:layer_id>/thumbnail.webp", layers.thumbnail, name="thumbnail"),
    path(
        "layers/<uuid:layer_id>/tiles/<int:level>/<int:column>_<int:row>.png",
        layers.tile,
        name="layer-tile",
    ),
    path("layers/<uuid:layer_id>/state/", layers.state, name="layer-state"),
]
