"""Addresses of schedules, presets and firings."""

from django.urls import path

from enamel.firings.views import firings, presets, schedule

urlpatterns = [
    path("pieces/<uuid:piece_id>/schedule/", schedule.schedule, name="schedule"),
    path(
        "pieces/<uuid:piece_id>/schedule/cost/", schedule.schedule_cost_view, name="schedule-cost"
    ),
    path("pieces/<uuid:piece_id>/presets/save/", presets.keep, name="save-preset"),
    path("pieces/<uuid:piece_id>/presets/apply/", presets.apply, name="apply-preset"),
    path("pieces/<uuid:piece_id>/presets/import/", presets.import_preset, name="import-preset"),
    path("presets/<int:number>.schedule.json", presets.export, name="export-preset"),
    path("firings/<uuid:firing_id>/state/", firings.state, name="firing-state"),
    path("firings/<uuid:firing_id>/tiles/<int:number>.webp", firings.tile, name="firing-tile"),
    path("firings/<uuid:firing_id>/stop/", firings.stop, name="stop-firing"),
    path("firings/<uuid:firing_id>/resume/", firings.resume, name="resume-firing"),
    path("firings/<uuid:firing_id>/dismiss/", firings.dismiss, name="dismiss-firing"),
]
