"""Answer refusals that no view has handled, in their own words."""

import sys
from collections.abc import Callable
from urllib.parse import urlsplit

from django.contrib import messages
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.utils.http import url_has_allowed_host_and_scheme

from enamel.core.errors import Refusal
from enamel.storage.disk import NO_ROOM, is_out_of_room

BROKEN = "The fault is Enamel's. Your pieces and finished tiles are kept; the log has the details."


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
        return render(request, "web/error.html", shown, status=422)


def server_error(request: HttpRequest) -> HttpResponse:
    """Answer an unexpected error. A full disk is named as such."""
    error = sys.exc_info()[1]
    if is_out_of_room(error):
        status, title, words = 507, "The disk is full", NO_ROOM
    else:
        status, title, words = 500, "Something went wrong", BROKEN
    asks_json = "application/json" in request.headers.get("Accept", "")
    if asks_json or request.path.startswith("/api/"):
        return JsonResponse({"error": words, "field": "", "words": words}, status=status)
    return render(request, "web/error.html", {"title": title, "words": words}, status=status)


def _came_from(request: HttpRequest) -> str | None:
    """Return the page of this site that sent a form."""
    referer = request.headers.get("Referer", "")
    if not url_has_allowed_host_and_scheme(referer, {request.get_host()}):
        return None
    parts = urlsplit(referer)
    return f"{parts.path}?{parts.query}" if parts.query else parts.path
