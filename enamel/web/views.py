"""Live notifications for an open page."""

from django.contrib.auth.decorators import login_required
from django.core.handlers.asgi import ASGIRequest
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.views.decorators.http import require_GET

from enamel.accounts.people import person
from enamel.jobs.notifications import events


@require_GET
@login_required
def news(request: HttpRequest) -> HttpResponse | StreamingHttpResponse:
    """Stream events while the page is open. Where the server can't stream, the answer is 204, which makes
    browsers stop asking.
    """
    if not isinstance(request, ASGIRequest):
        return HttpResponse(status=204)
    response = StreamingHttpResponse(events(person(request).pk), content_type="text/event-stream")
    response["Cache-Control"] = "no-store"
    response["X-Accel-Buffering"] = "no"
    return response
