"""Pages of administrators: all accounts, one account, the audit log."""

from collections.abc import Callable

from django.contrib import messages
from django.contrib.auth.models import User
from django.core.paginator import Paginator
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from enamel.accounts import services
from enamel.accounts.forms import DeleteAccountForm, InviteForm
from enamel.accounts.links import PasswordLinks
from enamel.accounts.models import AuditEntry
from enamel.accounts.people import administrators_only, person
from enamel.accounts.presenters import present_account, present_accounts
from enamel.core.errors import Refusal

ENTRIES_PER_PAGE = 100


@administrators_only
def accounts(request: HttpRequest) -> HttpResponse:
    """Show all accounts, and create one with a link that sets its password."""
    form = InviteForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        try:
            account = services.invite(person(request), **form.cleaned_data)
        except Refusal as refusal:
            form.add_error("name", str(refusal))
        else:
            return _with_link(request, account, f"{account.username} is invited.")
    shown = {"accounts": present_accounts(), "form": form}
    return render(request, "accounts/accounts.html", shown, status=422 if form.errors else 200)


@require_GET
@administrators_only
def account(request: HttpRequest, number: int) -> HttpResponse:
    """Show one account, and a new password link once."""
    found = get_object_or_404(User, pk=number)
    shown = present_account(found, person(request))
    shown["link"] = PasswordLinks(request).take(found)
    return render(request, "accounts/account.html", shown)


@require_POST
@administrators_only
def create_link(request: HttpRequest, number: int) -> HttpResponse:
    """Create a link that sets the account's password."""
    found = get_object_or_404(User, pk=number)
    return _with_link(request, found, f"{found.username} has a new password link.")


def _with_link(request: HttpRequest, account: User, message: str) -> HttpResponse:
    PasswordLinks(request).put(account, services.password_link(person(request), account))
    messages.success(request, message)
    return redirect("account", account.pk)


@require_POST
@administrators_only
def set_role(request: HttpRequest, number: int) -> HttpResponse:
    """Make an account an administrator or an artist."""
    found = get_object_or_404(User, pk=number)
    administrator = request.POST.get("role") == "administrator"
    return _carry_out(
        request,
        found,
        lambda: services.set_role(person(request), found, administrator=administrator),
    )


@require_POST
@administrators_only
def switch_account(request: HttpRequest, number: int) -> HttpResponse:
    """Switch an account off or on."""
    found = get_object_or_404(User, pk=number)
    on = request.POST.get("on") == "yes"
    return _carry_out(request, found, lambda: services.switch(person(request), found, on=on))


def _carry_out(request: HttpRequest, account: User, action: Callable[[], None]) -> HttpResponse:
    try:
        action()
    except Refusal as refusal:
        messages.error(request, f"{refusal} Nothing was changed.")
    return redirect("account", account.pk)


@require_POST
@administrators_only
def delete_account(request: HttpRequest, number: int) -> HttpResponse:
    """Delete an account; its pieces go to another account or are deleted."""
    found = get_object_or_404(User, pk=number)
    form = DeleteAccountForm(request.POST, account=found)
    if not form.is_valid():
        messages.error(request, "Choose what becomes of the pieces. Nothing was deleted.")
        return redirect("account", found.pk)
    try:
        services.delete(person(request), found, form.heir)
    except Refusal as refusal:
        messages.error(request, f"{refusal} Nothing was deleted.")
        return redirect("account", found.pk)
    messages.success(request, f"The account {found.username} is deleted.")
    return redirect("accounts")


@require_GET
@administrators_only
def audit(request: HttpRequest) -> HttpResponse:
    """Show the audit log, newest first."""
    pages = Paginator(AuditEntry.objects.all(), ENTRIES_PER_PAGE)
    return render(request, "accounts/audit.html", {"page": pages.get_page(request.GET.get("page"))})
