"""Accounts: made by a command, entered with a password that can't be guessed by trying."""

import asyncio
import io
import re
from typing import Any

import pytest
from axes.models import AccessAttempt
from django.conf import settings
from django.contrib.auth.models import User
from django.core.management import CommandError, call_command
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from enamel.accounts.management.commands import account
from enamel.server import serve

pytestmark = pytest.mark.django_db
GOOD = "viaduct at half past nine"


def made(name: str, *more: str) -> str:
    output = io.StringIO()
    call_command("account", name, *more, stdout=output)
    return output.getvalue()


def enter(client: Client, name: str, password: str) -> int:
    answer = client.post(reverse("sign-in"), {"username": name, "password": password})
    return answer.status_code


def test_an_account_is_made_and_entered(client: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(account.getpass, "getpass", lambda prompt: GOOD)
    assert "Made the account porter" in made("porter")
    assert enter(client, "porter", GOOD) == 302
    assert "Changed the account porter" in made("porter")


@pytest.mark.parametrize(("name", "password"), [("porter", "short"), ("two words", GOOD)])
def test_what_can_not_be_used_is_refused_and_nothing_made(
    name: str, password: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(account.getpass, "getpass", lambda prompt: password)
    with pytest.raises(CommandError):
        made(name)
    assert not User.objects.filter(username=name).exists()


def test_a_link_sets_the_password_once(client: Client) -> None:
    output = made("porter", "--link", "--site", "http://testserver")
    (link,) = re.findall(r"http://testserver(/\S+)", output)
    page = client.get(link, follow=True)
    assert page.status_code == 200
    there = page.redirect_chain[-1][0]
    answer = client.post(there, {"new_password1": GOOD, "new_password2": GOOD})
    assert answer.status_code == 302
    assert answer.headers["Location"] == reverse("pieces")
    assert "older than three days" in Client().get(link, follow=True).content.decode()
    assert enter(Client(), "porter", GOOD) == 302


def test_a_password_is_changed(signed_in: Client, artist: User) -> None:
    artist.set_password(GOOD)
    artist.save()
    signed_in.force_login(artist)
    other = GOOD + " again"
    sent = {"old_password": GOOD, "new_password1": other, "new_password2": other}
    answer = signed_in.post(reverse("change-password"), sent, follow=True)
    assert "Your password is changed." in answer.content.decode()
    wrong = signed_in.post(reverse("change-password"), sent)
    assert "entered incorrectly" in wrong.content.decode()


TRIES = settings.AXES_FAILURE_LIMIT


def locked(client: Client, name: str = "porter", **headers: str) -> bool:
    """Whether the right password is refused for now, however the name is written."""
    given = {"username": name, "password": GOOD}
    return client.post(reverse("sign-in"), given, headers=headers).status_code == 429


def test_trying_passwords_is_slowed_down(client: Client) -> None:
    User.objects.create_user("porter", password=GOOD)
    assert [enter(client, "porter", "guess") for _ in range(TRIES)] == [200] * (TRIES - 1) + [429]
    page = client.post(reverse("sign-in"), {"username": "porter", "password": GOOD})
    assert page.status_code == 429
    assert re.search(r"Wait (29\d|300) seconds", page.content.decode())
    assert enter(client, "fireman", "guess") == 200
    AccessAttempt.objects.update(attempt_time=timezone.now() - settings.AXES_COOLOFF_TIME)
    assert enter(client, "porter", GOOD) == 302
    assert not AccessAttempt.objects.filter(username="porter").exists()


@pytest.mark.parametrize("written", ["porter ", " Porter", "PORTER", "\uff50orter", "porter\u3000"])
def test_another_way_of_writing_a_name_is_no_further_try(client: Client, written: str) -> None:
    User.objects.create_user("porter", password=GOOD)
    for _ in range(TRIES):
        enter(client, written, "guess")
    assert locked(client)
    assert locked(client, written)


def test_an_address_is_not_taken_from_a_header_that_anybody_can_send(client: Client) -> None:
    User.objects.create_user("porter", password=GOOD)
    for number in range(TRIES):
        given = {"username": "porter", "password": "guess"}
        headers = {"X-Forwarded-For": f"10.0.0.{number}", "X-Real-IP": f"10.0.1.{number}"}
        client.post(reverse("sign-in"), given, headers=headers)
    assert locked(client, **{"X-Forwarded-For": "10.0.0.99"})


@pytest.mark.parametrize(("proxies", "taken"), [([], "127.0.0.1"), (["127.0.0.1"], "10.9.8.7")])
def test_only_named_proxies_are_believed(settings: Any, proxies: list[str], taken: str) -> None:
    settings.PROXIES = proxies
    config = serve.configuration()
    seen: list[str] = []

    async def application(scope: Any, receive: Any, send: Any) -> None:
        seen.append(scope["client"][0])

    config.app = application
    config.load()
    headers = [(b"x-forwarded-for", b"10.9.8.7")]
    scope = {"type": "http", "client": ("127.0.0.1", 5), "scheme": "http", "headers": headers}
    asyncio.run(config.loaded_app(scope, None, None))  # type: ignore[arg-type]
    assert seen == [taken]


def test_wrong_passwords_of_others_are_not_forgotten_over_many_names(client: Client) -> None:
    User.objects.create_user("porter", password=GOOD)
    for _ in range(TRIES):
        enter(client, "porter", "guess")
    for number in range(60):
        enter(client, f"passenger-{number}", "guess")
    assert locked(client)
