"""A running firing: its state and tiles; stopping and resuming it."""

from uuid import UUID

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.urls import reverse
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_GET, require_POST

from enamel.firings import services as firings
from enamel.firings.access import own_firing
from enamel.firings.models import Firing, TilePreview
from enamel.web.parameters import back_to, whole_number

TASKS: dict[str, str] = {
    Firing.Work.TOUCH_UP: "touch-up",
    Firing.Work.INLAY: "inlay",
    Firing.Work.FINISH: "finish",
}
"""The place being worked on where the step is not a coat."""


@require_GET
@login_required
def state(request: HttpRequest, firing_id: UUID) -> JsonResponse:
    """Return the progress, and the tiles that changed after number ``after``."""
    firing = own_firing(request, firing_id)
    after = request.GET.get("after", "0")
    fresh = firing.previews.filter(number__gt=whole_number(after) or 0)
    return JsonResponse(
        {
            "state": firing.state,
            "coat": firing.coat,
            "done": firing.done,
            "total": firing.total,
            "secondsLeft": firing.seconds_left,
            "shown": _result_url(firing),
            "unattended": firings.unattended(firing),
            "tiles": [_news(firing, preview) for preview in fresh.defer("image")],
        }
    )


def _result_url(firing: Firing) -> str | None:
    """Return the address of the result, compared with the layer that it was made from."""
    if firing.result_id is None:
        return None
    task = TASKS.get(firing.work, "coat")
    return f"{firing.url}&task={task}"


def _news(firing: Firing, preview: TilePreview) -> dict[str, object]:
    return {
        "number": preview.number,
        "box": [preview.x, preview.y, preview.width, preview.height],
        "url": reverse("firing-tile", args=[firing.pk, preview.number]),
    }


@require_GET
@login_required
@cache_control(private=True, max_age=600)
def tile(request: HttpRequest, firing_id: UUID, number: int) -> HttpResponse:
    """Return a tile's preview.

    When it was replaced meanwhile or the firing has ended, there is nothing to show, which is no error.
    """
    preview = own_firing(request, firing_id).previews.filter(number=number).first()
    if preview is None:
        return HttpResponse(status=204)
    return HttpResponse(bytes(preview.image), content_type="image/webp")


@require_POST
@login_required
def stop(request: HttpRequest, firing_id: UUID) -> HttpResponse:
    firing = own_firing(request, firing_id)
    firings.stop(firing, for_good="for-good" in request.POST)
    return back_to(request, firing.piece)


@require_POST
@login_required
def resume(request: HttpRequest, firing_id: UUID) -> HttpResponse:
    firing = own_firing(request, firing_id)
    firings.resume(firing)
    return back_to(request, firing.piece)


@require_POST
@login_required
def dismiss(request: HttpRequest, firing_id: UUID) -> HttpResponse:
    """Stop showing a firing that ended without a result. Its finished tiles are deleted."""
    firing = own_firing(request, firing_id)
    firings.dismiss(firing)
    return back_to(request, firing.piece)
