"""Addresses of prints and print files."""

from django.urls import path

from enamel.prints.views import files, prints

urlpatterns = [
    path("pieces/<uuid:piece_id>/plan/", prints.use_plan, name="use-plan"),
    path("pieces/<uuid:piece_id>/print/", prints.print_view, name="print"),
    path("sheets/<uuid:sheet_id>/strip/", prints.order_sheet, name="sheet-strip"),
    path("layers/<uuid:layer_id>/print-file/", prints.order, name="order-print-file"),
    path("layers/<uuid:layer_id>/laid.webp", prints.laid_picture, name="laid-picture"),
    path(
        "layers/<uuid:layer_id>/proof/<int:level>/<int:column>_<int:row>.png",
        prints.proof_tile,
        name="proof-tile",
    ),
    path("layers/<uuid:layer_id>/print-file/cost/", prints.cost, name="print-file-cost"),
    path("layers/<uuid:layer_id>/print-file/profile/", prints.take_profile, name="take-profile"),
    path("layers/<uuid:layer_id>/strip/", prints.order_strip, name="order-strip"),
    path("layers/<uuid:layer_id>/print-file/keep/", prints.keep, name="keep-output"),
    path("kept-files/<int:number>/delete/", prints.delete_preset, name="delete-output"),
    path("print-files/", files.files, name="print-files"),
    path("print-files/write/", files.write, name="write-print-files"),
    path("print-files/together/", files.together, name="print-files-together"),
    path("print-files/<uuid:print_id>/", prints.take_away, name="print-file"),
    path("print-files/<uuid:print_id>/state/", prints.state, name="print-file-state"),
    path("print-files/<uuid:print_id>/delete/", prints.delete, name="delete-print-file"),
]
