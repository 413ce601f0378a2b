"""Read numbers, ids and addresses that a request sent; what is none is left out or not found."""

from collections.abc import Iterable
from contextlib import suppress
from typing import Any
from uuid import UUID

from django.http import Http404, HttpRequest, HttpResponseRedirect
from django.shortcuts import redirect
from django.utils.http import url_has_allowed_host_and_scheme


def whole_number(text: str | None, digits: int = 9) -> int | None:
    """Return the whole number that a text is; None when it is none, or has more digits than that."""
    return int(text) if text and text.isdecimal() and len(text) <= digits else None


def signed_number(text: str | None) -> int | None:
    """Return the whole number that a text is, which may be negative; None when it is none."""
    found = whole_number(text.removeprefix("-") if text else None)
    return -found if found is not None and text and text.startswith("-") else found


def whole_numbers(texts: Iterable[str]) -> list[int]:
    """Return those of several texts that are whole numbers."""
    return [found for found in map(whole_number, texts) if found is not None]


def ids(texts: Iterable[str]) -> list[UUID]:
    """Return those of several texts that are ids."""
    found = []
    for text in texts:
        with suppress(ValueError):
            found.append(UUID(text))
    return found


def posted_id(request: HttpRequest, name: str) -> UUID:
    """Return an id that a form sent; anything else is not found."""
    try:
        return UUID(request.POST.get(name, ""))
    except ValueError:
        raise Http404 from None


def back_to(request: HttpRequest, otherwise: Any) -> HttpResponseRedirect:
    """Redirect to the page that a form names as ``next``, if it is one of Enamel's; else to another."""
    back = request.POST.get("next", "")
    here = url_has_allowed_host_and_scheme(back, {request.get_host()}, request.is_secure())
    return redirect(back if here else otherwise)
