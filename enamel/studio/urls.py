"""The studio's addresses."""

from django.contrib.auth.views import LogoutView
from django.urls import path

from enamel.studio.views import account, firings, layers, models, pieces, workspace

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
    path("pieces/<uuid:piece_id>/subject/", pieces.subject, name="subject"),
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
