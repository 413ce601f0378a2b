"""The page of an account's sessions."""

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from enamel.accounts import services
from enamel.accounts.people import person
from enamel.accounts.presenters import present_sessions


@require_GET
@login_required
def sessions(request: HttpRequest) -> HttpResponse:
    """Show where the account is signed in."""
    found = present_sessions(person(request), request.session.session_key)
    return render(request, "accounts/sessions.html", {"sessions": found})


@require_POST
@login_required
def end_session(request: HttpRequest) -> HttpResponse:
    """End one session of the account, or all but this one."""
    key = request.POST.get("session", "")
    if key:
        services.end_session(person(request), key)
    else:
        services.end_other_sessions(person(request), request.session.session_key or "")
    messages.success(request, "Signed out there.")
    return redirect("sessions")
