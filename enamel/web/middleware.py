"""Middleware for every page: private caching, and no text that can't be stored."""

from collections.abc import Callable
from urllib.parse import unquote_plus

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.utils.cache import patch_cache_control

Next = Callable[[HttpRequest], HttpResponse]


class PrivatePages:
    """Keeps personal pages out of shared caches, and has browsers ask for them each time."""

    def __init__(self, get_response: Next) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        if not response.has_header("Cache-Control") and request.user.is_authenticated:
            patch_cache_control(response, private=True, no_cache=True)
        return response


class StorableText:
    """Refuses requests with NUL characters, which PostgreSQL can't store."""

    def __init__(self, get_response: Next) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        asked = unquote_plus(request.META.get("QUERY_STRING", ""))
        plain = request.content_type == "application/x-www-form-urlencoded"
        sent = request.POST.lists() if plain else ()
        if "\0" in asked or any("\0" in value for _, values in sent for value in values):
            words = "What was sent holds NUL characters, which can’t be stored. Type it again."
            if request.path.startswith("/api/"):
                return JsonResponse({"error": words, "field": ""}, status=400)
            shown = {"title": "This can’t be read", "words": words}
            return render(request, "web/error.html", shown, status=400)
        return self.get_response(request)
