"""The studio's addresses."""

from django.contrib.auth.views import LogoutView
from django.urls import path

from enamel.studio.views import (
    account,
    firings,
    house,
    layers,
    models,
    pieces,
    preferences,
    workspace,
)

urlpatterns = [
    path("", pieces.pieces, name="pieces"),
    path("sign-in/", account.SignIn.as_view(), name="sign-in"),
    path("sign-in/demo/", account.sign_in_demo, name="sign-in-demo"),
    path("sign-out/", LogoutView.as_view(), name="sign-out"),
    path("pieces/bring-in/", pieces.bring_in, name="bring-in"),
    path("pieces/<uuid:piece_id>/", workspace.piece, name="piece"),
    path("pieces/<uuid:piece_id>/base-file/", pieces.base_file, name="base-file"),
    path("pieces/<uuid:piece_id>/schedule/", workspace.schedule, name="schedule"),
    path(
        "pieces/<uuid:piece_id>/schedule/cost/", workspace.schedule_cost_view, name="schedule-cost"
    ),
    path("pieces/<uuid:piece_id>/plan/", workspace.use_plan, name="use-plan"),
    path("pieces/<uuid:piece_id>/begin-again/", pieces.begin_again, name="begin-again"),
    path("pieces/<uuid:piece_id>/print/", workspace.print_view, name="print"),
    path("pieces/<uuid:piece_id>/facts/", pieces.facts, name="facts"),
    path("pieces/<uuid:piece_id>/mark/", pieces.mark, name="mark"),
    path("pieces/<uuid:piece_id>/duplicate/", pieces.duplicate, name="duplicate"),
    path("pieces/<uuid:piece_id>/split/", pieces.split, name="split"),
    path("pieces/<uuid:piece_id>/split/sheet.webp", pieces.split_picture, name="split-picture"),
    path("pieces/<uuid:piece_id>/no-sheet/", pieces.no_sheet, name="no-sheet"),
    path("pieces/<uuid:piece_id>/take-back/", pieces.take_back, name="take-back"),
    path("pieces/<uuid:piece_id>/house/keep/", house.keep, name="keep-house"),
    path("pieces/<uuid:piece_id>/house/apply/", house.apply, name="apply-house"),
    path("pieces/<uuid:piece_id>/house/take-in/", house.take_in, name="take-in-house"),
    path("house/<int:number>.schedule.json", house.export, name="export-house"),
    path("throw-away/", pieces.throw_away, name="throw-away"),
    path("thrown-away/", pieces.thrown_away, name="thrown-away"),
    path("preferences/", preferences.preferences, name="preferences"),
    path("models/", models.models, name="models"),
    path("models/take-in/", models.take_in_model, name="take-in-model"),
    path("models/suited/", models.suited, name="suited"),
    path("models/<slug:name>/switch/", models.switch, name="switch-model"),
    path("models/<slug:name>/remove/", models.remove, name="remove-model"),
    path("models/<slug:name>/crops/<int:place>.webp", models.crop, name="model-crop"),
    path("layers/<uuid:layer_id>/touch-up/", workspace.fire_touch_up, name="fire-touch-up"),
    path("layers/<uuid:layer_id>/touch-up/cost/", workspace.touch_up_cost, name="touch-up-cost"),
    path("layers/<uuid:layer_id>/thumbnail.webp", layers.thumbnail, name="thumbnail"),
    path(
        "layers/<uuid:layer_id>/tiles/<int:level>/<int:column>_<int:row>.png",
        layers.tile,
        name="layer-tile",
    ),
    path("layers/<uuid:layer_id>/state/", layers.state, name="layer-state"),
    path("layers/<uuid:layer_id>/print-file/", layers.print_file, name="print-file"),
    path("firings/<uuid:firing_id>/state/", firings.state, name="firing-state"),
    path("firings/<uuid:firing_id>/tiles/<int:number>.webp", firings.tile, name="firing-tile"),
    path("firings/<uuid:firing_id>/stop/", firings.stop, name="stop-firing"),
    path("firings/<uuid:firing_id>/go-on/", firings.go_on, name="go-on-firing"),
    path("firings/<uuid:firing_id>/put-away/", firings.put_away, name="put-away-firing"),
]
