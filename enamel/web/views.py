"""Live news for an open page."""

from django.contrib.auth.decorators import login_required
from django.core.handlers.asgi import ASGIRequest
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.views.decorators.http import require_GET

from enamel.accounts.people import person
from enamel.jobs.notifications import events


@require_GET
@login_required
def news(request: HttpRequest) -> HttpResponse | StreamingHttpResponse:
    """Show events as long as the page is open; none where the server can't stream, which ends the asking."""
    if not isinstance(request, ASGIRequest):
        return HttpResponse(status=204)
    response = StreamingHttpResponse(events(person(request).pk), content_type="text/event-stream")
    response["Cache-Control"] = "no-store"
    response["X-Accel-Buffering"] = "no"
    return response
