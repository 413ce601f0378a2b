"""Pages for signing in and for changing one's password."""

from django.conf import settings
from django.contrib import messages
from django.contrib.auth import get_user_model, login
from django.contrib.auth.views import LoginView, PasswordChangeView, PasswordResetConfirmView
from django.forms import Form
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse_lazy
from django.views.decorators.http import require_POST

from enamel.accounts.signing import BACKEND, DEMO_NAME


class SignIn(LoginView):
    """Sign in with name and password, or in demo mode with one click on the demo account."""

    template_name = "accounts/sign_in.html"
    redirect_authenticated_user = True


class SetPassword(PasswordResetConfirmView):
    """Set a password after following a link of `bin/account`."""

    template_name = "accounts/password.html"
    success_url = reverse_lazy("pieces")
    post_reset_login = True
    post_reset_login_backend = BACKEND
    extra_context = {  # noqa: RUF012
        "title": "Set your password"
    }


class ChangePassword(PasswordChangeView):
    """Change the password; the current one is asked for."""

    template_name = "accounts/password.html"
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
    demo = get_object_or_404(get_user_model(), username=DEMO_NAME)
    login(request, demo, backend=BACKEND)
    signing_in = SignIn()
    signing_in.setup(request)
    return redirect(signing_in.get_success_url())
