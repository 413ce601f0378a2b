"""Accounts: made by a command, entered with a password that can't be guessed by trying."""

import io
import re

import pytest
from django.contrib.auth.models import User
from django.core.cache import cache
from django.core.management import CommandError, call_command
from django.test import Client
from django.urls import reverse

from enamel.studio import throttle
from enamel.studio.management.commands import account

pytestmark = pytest.mark.django_db
GOOD = "viaduct at half past nine"


@pytest.fixture(autouse=True)
def _nobody_has_tried() -> None:
    cache.clear()


def made(name: str, *more: str) -> str:
    said = io.StringIO()
    call_command("account", name, *more, stdout=said)
    return said.getvalue()


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
    said = made("porter", "--link", "--site", "http://testserver")
    (link,) = re.findall(r"http://testserver(/\S+)", said)
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


def test_trying_passwords_is_slowed_down(client: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    User.objects.create_user("porter", password=GOOD)
    now = 1000.0
    monkeypatch.setattr(throttle.time, "time", lambda: now)
    assert [enter(client, "porter", "guess") for _ in range(throttle.FREE)] == [200] * throttle.FREE
    assert enter(client, "porter", GOOD) == 429
    assert enter(client, "fireman", "guess") == 200
    now += throttle.FIRST_PAUSE + 1
    assert enter(client, "porter", "guess") == 200
    now += throttle.FIRST_PAUSE + 1
    assert enter(client, "porter", GOOD) == 429
    now += throttle.FIRST_PAUSE + 1
    assert enter(client, "porter", GOOD) == 302
