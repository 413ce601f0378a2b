"""Signing in, and one's password."""

import math

from django.conf import settings
from django.contrib import messages
from django.contrib.auth import get_user_model, login
from django.contrib.auth.forms import AuthenticationForm
from django.contrib.auth.views import LoginView, PasswordChangeView, PasswordResetConfirmView
from django.forms import Form
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse_lazy
from django.views.decorators.http import require_POST

from enamel.studio import throttle
from enamel.studio.signing import DEMO_NAME


class SignIn(LoginView):
    """Name and password; in demo mode one click on the demo account instead."""

    template_name = "studio/account/sign_in.html"
    redirect_authenticated_user = True

    def post(self, request: HttpRequest, *args: object, **kwargs: object) -> HttpResponse:
        """Refuse for a while when too many passwords were wrong, before any is looked at."""
        seconds = throttle.seconds_to_wait(self._who())
        if seconds:
            shown = self.get_context_data(wait=math.ceil(seconds), form=AuthenticationForm(request))
            return self.render_to_response(shown, status=429)
        return super().post(request, *args, **kwargs)

    def form_invalid(self, form: AuthenticationForm) -> HttpResponse:
        throttle.failed(self._who())
        return super().form_invalid(form)

    def form_valid(self, form: AuthenticationForm) -> HttpResponse:
        throttle.succeeded(self._who())
        return super().form_valid(form)

    def _who(self) -> str:
        name = self.request.POST.get("username", "")[:150].lower()
        return f"{name} at {self.request.META.get('REMOTE_ADDR', '')}"


class SetPassword(PasswordResetConfirmView):
    """The page that a link of `bin/account` leads to."""

    template_name = "studio/account/password.html"
    success_url = reverse_lazy("pieces")
    post_reset_login = True
    extra_context = {  # noqa: RUF012
        "title": "Set your password"
    }


class ChangePassword(PasswordChangeView):
    """Another password, after the one that is used now."""

    template_name = "studio/account/password.html"
    success_url = reverse_lazy("preferences")
    extra_context = {  # noqa: RUF012
        "title": "Change your password",
        "validlink": True,
    }

    def form_valid(self, form: Form) -> HttpResponse:
        messages.success(self.request, "Your password is changed.")
        return super().form_valid(form)


@require_POST
def sign_in_demo(request: HttpRequest) -> HttpResponse:
    """Sign in as the demo account. Only in demo mode."""
    if not settings.DEMO:
        raise Http404
    login(request, get_object_or_404(get_user_model(), username=DEMO_NAME))
    return redirect("pieces")
