"""Tokens created and revoked; the API reference."""

import json
from pathlib import Path

from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse
from django.utils.html import escape

from enamel.accounts.models import Token
from enamel.server.api import api
from enamel.server.described import described

KEPT = Path(__file__).parents[2] / "docs" / "reference" / "api.openapi.json"


def test_a_token_is_shown_once_and_lets_in_until_it_is_revoked(
    signed_in: Client, client: Client, stranger: User
) -> None:
    made = signed_in.post(reverse("tokens"), {"name": "Night <batch>", "scopes": ["read", "fire"]})
    text = made.context["text"]
    assert text in made.content.decode()
    page = signed_in.get(reverse("tokens")).content.decode()
    assert text not in page
    assert "Night &lt;batch&gt;" in page
    assert "not used yet" in page
    headers = {"Authorization": f"Bearer {text}"}
    assert client.get("/api/v2/me", headers=headers).json()["scopes"] == ["read", "fire"]
    token = Token.objects.get()
    answer = signed_in.post(reverse("revoke-token", args=[token.pk]), follow=True)
    assert "lets nobody in any more" in answer.content.decode()
    assert client.get("/api/v2/me", headers=headers).status_code == 401


def test_a_token_for_nothing_is_refused_in_words(signed_in: Client) -> None:
    answer = signed_in.post(
        reverse("tokens"), {"name": "x"}, headers={"Referer": "http://testserver/scripts/"},
        follow=True,
    )  # fmt: skip
    assert "Choose at least one thing" in answer.content.decode()
    assert not Token.objects.exists()


def test_the_description_names_every_question_and_needs_nothing_from_outside(
    signed_in: Client,
) -> None:
    page = signed_in.get(reverse("api-description")).content.decode()
    questions = [one for topic in described()["topics"].values() for one in topic]
    paths = api.get_openapi_schema(path_prefix="/api/v2/")["paths"]
    assert len(questions) == sum(len(methods) for methods in paths.values())
    for one in questions:
        assert escape(one.summary) in page
        assert one.scope in ("read", "import", "fire", "files")
    assert "coats[].factor" in page
    assert "http://testserver/api/v2/" in page
    assert page.count("https://") == 0
    assert "<script>" not in page


def test_the_description_that_is_kept_is_the_one_in_force() -> None:
    now = json.loads(json.dumps(api.get_openapi_schema(path_prefix="/api/v2/")))
    assert json.loads(KEPT.read_text()) == now, "run python -m tools.describe_api"
