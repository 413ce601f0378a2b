"""Read numbers, ids and addresses from requests. Invalid ones are left out or answered by 404."""

from collections.abc import Iterable
from contextlib import suppress
from typing import Any
from uuid import UUID

from django.http import Http404, HttpRequest, HttpResponseRedirect
from django.shortcuts import redirect
from django.utils.http import url_has_allowed_host_and_scheme


def whole_number(text: str | None, digits: int = 9) -> int | None:
    """Return a text as a whole number; None when it isn't one, or has more digits than that."""
    return int(text) if text and text.isdecimal() and len(text) <= digits else None


def signed_number(text: str | None) -> int | None:
    """Return a text as a whole number, which may be negative; None when it isn't one."""
    found = whole_number(text.removeprefix("-") if text else None)
    return -found if found is not None and text and text.startswith("-") else found


def whole_numbers(texts: Iterable[str]) -> list[int]:
    """Return the whole numbers among several texts."""
    return [found for found in map(whole_number, texts) if found is not None]


def ids(texts: Iterable[str]) -> list[UUID]:
    """Return the ids among several texts."""
    found = []
    for text in texts:
        with suppress(ValueError):
            found.append(UUID(text))
    return found


def posted_id(request: HttpRequest, name: str) -> UUID:
    """Return an id from a form; 404 for anything else."""
    try:
        return UUID(request.POST.get(name, ""))
    except ValueError:
        raise Http404 from None


def back_to(request: HttpRequest, otherwise: Any) -> HttpResponseRedirect:
    """Redirect to the page that a form names as ``next`` if it is one of Enamel's, else to a fallback."""
    back = request.POST.get("next", "")
    here = url_has_allowed_host_and_scheme(back, {request.get_host()}, request.is_secure())
    return redirect(back if here else otherwise)
