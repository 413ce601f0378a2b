"""The page of API tokens."""

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from enamel.accounts import services
from enamel.accounts.models import Scope, Token
from enamel.accounts.people import person


@login_required
def tokens(request: HttpRequest) -> HttpResponse:
    """Show an artist's tokens, and create one. A new token is shown once, on the page that answers the
    form.
    """
    shown = {"scopes": Scope.choices, "chosen": [Scope.READ]}
    if request.method == "POST":
        scopes = request.POST.getlist("scopes")
        made, text = services.issue_token(person(request), request.POST.get("name", ""), scopes)
        shown |= {"made": made, "text": text}
    kept = Token.objects.filter(owner_id=person(request).pk)
    return render(request, "accounts/tokens.html", shown | {"tokens": kept})


@require_POST
@login_required
def revoke(request: HttpRequest, number: int) -> HttpResponse:
    """Revoke a token: it lets nobody in any more."""
    token = get_object_or_404(Token, pk=number, owner_id=person(request).pk)
    services.revoke_token(token)
    messages.success(request, f"“{token.name}” lets nobody in any more.")
    return redirect("tokens")
