"""Signing in."""

from django.conf import settings
from django.contrib.auth import get_user_model, login
from django.contrib.auth.views import LoginView
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST

DEMO_NAME = "kestrel-vale"


class SignIn(LoginView):
    """Name and password; in demo mode one click on the demo account instead."""

    template_name = "studio/sign_in.html"
    redirect_authenticated_user = True


@require_POST
def sign_in_demo(request: HttpRequest) -> HttpResponse:
    """Sign in as the demo account. Only in demo mode."""
    if not settings.DEMO:
        raise Http404
    login(request, get_object_or_404(get_user_model(), username=DEMO_NAME))
    return redirect("pieces")
