"""Sessions are listed with their browsers, and ended one by one or together."""

from datetime import timedelta

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from enamel.accounts.jobs import delete_expired_sessions
from enamel.accounts.models import AuditEntry, Session

pytestmark = pytest.mark.django_db


def browser(artist: User, name: str) -> Client:
    """A browser that is signed in, and calls itself by a name."""
    client = Client(headers={"User-Agent": name})
    client.post(reverse("sign-in"), {"username": artist.username, "password": "verdigris-27"})
    return client


def get_in(client: Client) -> bool:
    return client.get(reverse("pieces")).status_code == 200


def key_of(client: Client) -> str:
    return str(client.session.session_key)


def test_sessions_are_listed_with_browser_and_address(artist: User, stranger: User) -> None:
    linux = "Mozilla/5.0 (X11; Linux x86_64; rv:128.0) Gecko/20100101 Firefox/128.0"
    studio, tablet = browser(artist, linux), browser(artist, "Tablet <browser>")
    Client().force_login(stranger)
    page = studio.get(reverse("sessions")).content.decode()
    assert page.count("This one") == 1
    assert ">Firefox 128 on Linux</p>" in page
    assert ">Tablet &lt;browser&gt;</p>" in page
    assert '<span class="figure">127.0.0.1</span>' in page
    assert {one.account for one in Session.objects.all()} == {artist, stranger}
    assert get_in(tablet)


def test_one_is_ended_and_the_others_stay(artist: User) -> None:
    studio, tablet, lost = (browser(artist, name) for name in ("Studio", "Tablet", "Lost"))
    studio.post(reverse("end-session"), {"session": key_of(lost)})
    assert [get_in(client) for client in (studio, tablet, lost)] == [True, True, False]
    entry = AuditEntry.objects.get()
    assert (entry.action, entry.subject) == (AuditEntry.Action.SESSION_ENDED, "Lost")
    studio.post(reverse("end-session"))
    assert [get_in(client) for client in (studio, tablet)] == [True, False]


def test_nobody_ends_anothers_session(artist: User, stranger: User) -> None:
    studio, other = browser(artist, "Studio"), Client()
    other.force_login(stranger)
    other.post(reverse("end-session"), {"session": key_of(studio)})
    other.post(reverse("end-session"))
    assert get_in(studio)


def test_a_changed_password_ends_all_other_sessions(artist: User) -> None:
    studio, lost = browser(artist, "Studio"), browser(artist, "Lost")
    new = "viaduct at half past nine"
    sent = {"old_password": "verdigris-27", "new_password1": new, "new_password2": new}
    studio.post(reverse("change-password"), sent)
    assert get_in(studio)
    assert not get_in(lost)


def test_what_a_session_stores_later_keeps_its_facts(artist: User) -> None:
    studio = browser(artist, "Studio")
    session = studio.session
    session["anything"] = 1
    session.save()
    kept = Session.objects.get(session_key=key_of(studio))
    assert (kept.account, kept.browser, kept.network_address) == (artist, "Studio", "127.0.0.1")
    assert kept.signed_in_at is not None


def test_expired_sessions_are_deleted_once_a_day(artist: User) -> None:
    old, studio = browser(artist, "Old"), browser(artist, "Studio")
    expired = Session.objects.filter(session_key=key_of(old))
    expired.update(expire_date=timezone.now() - timedelta(seconds=1))
    delete_expired_sessions(0)
    assert [one.browser for one in Session.objects.all()] == ["Studio"]
    assert get_in(studio)
