"""Addresses of touch-ups and inlays."""

from django.urls import path

from enamel.touchups.views import inlays, touch_ups

urlpatterns = [
    path("layers/<uuid:layer_id>/mend/", touch_ups.mend, name="mend"),
    path("layers/<uuid:layer_id>/mend/cost/", touch_ups.cost, name="mend-cost"),
    path("layers/<uuid:layer_id>/mask/", touch_ups.measured_mask, name="measured-mask"),
    path("layers/<uuid:layer_id>/crop.webp", touch_ups.crop, name="layer-crop"),
    path("layers/<uuid:layer_id>/faces/", touch_ups.save_faces, name="correct-faces"),
    path("layers/<uuid:layer_id>/again/", touch_ups.do_again, name="do-again"),
    path("layers/<uuid:layer_id>/inlay/", inlays.lay, name="lay-inlays"),
    path("layers/<uuid:layer_id>/inlay/file/", inlays.take_file, name="lay-file"),
    path("layers/<uuid:layer_id>/inlay/preview/", inlays.preview, name="inlay-preview"),
    path("pieces/<uuid:piece_id>/masks/", touch_ups.keep_mask, name="keep-mask"),
    path("masks/<int:number>/", touch_ups.kept_mask, name="kept-mask"),
    path("masks/<int:number>/change/", touch_ups.change_mask, name="change-mask"),
    path("touch-ups/<uuid:draft_id>/", touch_ups.candidates, name="touch-up-draft"),
    path("touch-ups/<uuid:draft_id>/state/", touch_ups.state, name="touch-up-draft-state"),
    path(
        "touch-ups/<uuid:draft_id>/before/<int:place>.webp",
        touch_ups.place_before,
        name="place-before",
    ),
    path("touch-ups/<uuid:draft_id>/lay/", touch_ups.lay, name="apply-touch-up"),
    path("touch-ups/<uuid:draft_id>/more/", touch_ups.more, name="more-candidates"),
    path("touch-ups/<uuid:draft_id>/stop/", touch_ups.stop, name="stop-touch-up"),
    path("touch-ups/<uuid:draft_id>/delete/", touch_ups.delete, name="delete-touch-up-draft"),
    path("candidates/<int:number>.webp", touch_ups.candidate_picture, name="candidate-picture"),
    path("candidates/<int:number>/judge/", touch_ups.judge, name="judge-candidate"),
    path("candidates/<int:number>/paint/", touch_ups.paint, name="paint-candidate"),
]
