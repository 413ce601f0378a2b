"""How pages say no: a refusal that nothing else has answered is told in its own words."""

from collections.abc import Callable
from urllib.parse import urlsplit

from django.contrib import messages
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.utils.http import url_has_allowed_host_and_scheme

from enamel.core.errors import Refusal


class Refusals:
    """Middleware that answers a `Refusal`: to scripts as JSON, to forms by going back with a message,
    to everything else with a page."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        if not isinstance(error, Refusal):
            return None
        words = str(error)
        if "application/json" in request.headers.get("Accept", ""):
            return JsonResponse({"words": words}, status=422)
        back = _came_from(request)
        if request.method == "POST" and back:
            messages.error(request, words)
            return redirect(back)
        shown = {"title": "This can’t be done", "words": words}
        return render(request, "studio/shared/error.html", shown, status=422)


def _came_from(request: HttpRequest) -> str | None:
    """The page of this site that a form was sent from."""
    referer = request.headers.get("Referer", "")
    if not url_has_allowed_host_and_scheme(referer, {request.get_host()}):
        return None
    parts = urlsplit(referer)
    return f"{parts.path}?{parts.query}" if parts.query else parts.path
