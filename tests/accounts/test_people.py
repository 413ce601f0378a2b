"""Administrators invite, switch off and delete accounts; what can't be undone is in the audit log."""

from pathlib import Path

import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from enamel.accounts import services
from enamel.accounts.models import AuditEntry, Token
from enamel.core.errors import Refusal
from enamel.firings import services as firings
from enamel.firings.models import Firing
from enamel.library.models import Piece
from enamel.uploads.models import Upload
from tests.schedules import coat

pytestmark = pytest.mark.django_db
GOOD = "viaduct at half past nine"
Action = AuditEntry.Action


@pytest.fixture
def office(client: Client, administrator: User) -> Client:
    """The administrator's browser."""
    client.force_login(administrator)
    return client


def entries() -> list[tuple[str, str, str]]:
    """By, action and subject of all audit entries, oldest first."""
    found = AuditEntry.objects.order_by("pk")
    return [(entry.name, entry.action, entry.subject) for entry in found]


def stored_files() -> set[Path]:
    return {path for path in Path(settings.MEDIA_ROOT).rglob("*") if path.is_file()}


def test_an_invitation_is_a_link_shown_once_that_sets_the_password(office: Client) -> None:
    sent = {"name": "porter", "role": "artist"}
    page = office.post(reverse("accounts"), sent, follow=True)
    link = page.context["link"]
    assert link in page.content.decode()
    assert link not in office.get(page.redirect_chain[-1][0]).content.decode()
    guest = Client()
    there = guest.get(link, follow=True).redirect_chain[-1][0]
    chosen = {"new_password1": GOOD, "new_password2": GOOD}
    assert guest.post(there, chosen).headers["Location"] == reverse("pieces")
    porter = User.objects.get(username="porter")
    assert not porter.is_staff
    assert guest.get(reverse("accounts")).status_code == 404
    assert entries() == [
        ("administrator", Action.ACCOUNT_CREATED, "porter, artist"),
        ("administrator", Action.LINK_CREATED, "porter"),
    ]


@pytest.mark.parametrize(
    ("name", "words"), [("artist", "already exists"), ("two words", "valid username")]
)
def test_a_name_that_can_not_be_used_creates_nothing(
    office: Client, artist: User, name: str, words: str
) -> None:
    answer = office.post(reverse("accounts"), {"name": name, "role": "artist"})
    assert answer.status_code == 422
    assert words in answer.content.decode()
    assert "No account was created." in answer.content.decode()
    assert User.objects.count() == 2
    assert not AuditEntry.objects.exists()


def test_an_account_switched_off_is_out_at_once_and_back_when_switched_on(
    office: Client, artist: User
) -> None:
    guest = Client()
    guest.force_login(artist)
    text = Token.objects.issue(artist, "night", ["read"])[1]
    switch = reverse("switch-account", args=[artist.pk])
    page = office.post(switch, {"on": "no"}, follow=True).content.decode()
    assert "its password and tokens are" in page
    assert guest.get(reverse("pieces")).status_code == 302
    headers = {"Authorization": f"Bearer {text}"}
    assert Client().get("/api/v2/me", headers=headers).status_code == 401
    office.post(switch, {"on": "yes"})
    assert Client().get("/api/v2/me", headers=headers).status_code == 200
    assert guest.get(reverse("pieces")).status_code == 302, "the session was ended"


def test_the_only_administrator_stays_one(
    office: Client, administrator: User, artist: User
) -> None:
    role = reverse("set-role", args=[administrator.pk])
    page = office.post(role, {"role": "artist"}, follow=True).content.decode()
    assert "is the only administrator" in page
    administrator.refresh_from_db()
    assert administrator.is_staff
    office.post(reverse("set-role", args=[artist.pk]), {"role": "administrator"})
    office.post(role, {"role": "artist"})
    administrator.refresh_from_db()
    assert not administrator.is_staff
    assert office.get(reverse("accounts")).status_code == 404


def test_nobody_deletes_or_switches_off_their_own_account(
    office: Client, administrator: User
) -> None:
    for name, sent in (("delete-account", {"pieces": "delete"}), ("switch-account", {"on": "no"})):
        address = reverse(name, args=[administrator.pk])
        page = office.post(address, sent, follow=True).content.decode()
        assert "This is your own account" in page, name
    assert User.objects.filter(pk=administrator.pk, is_active=True).exists()


def test_what_becomes_of_the_pieces_has_to_be_chosen(office: Client, piece: Piece) -> None:
    address = reverse("delete-account", args=[piece.owner_id])
    page = office.post(address, {"pieces": ""}, follow=True).content.decode()
    assert "Choose what becomes of the pieces. Nothing was deleted." in page
    assert Piece.objects.filter(pk=piece.pk).exists()


def test_pieces_of_a_deleted_account_go_to_its_heir_with_all_files(
    office: Client, piece: Piece, stranger: User
) -> None:
    before = stored_files()
    owner = piece.owner
    office.post(reverse("delete-account", args=[owner.pk]), {"pieces": str(stranger.pk)})
    piece.refresh_from_db()
    assert piece.owner == stranger
    assert stored_files() == before
    assert not User.objects.filter(pk=owner.pk).exists()
    assert entries() == [
        ("administrator", Action.ACCOUNT_DELETED, "artist, its pieces given to stranger")
    ]
    guest = Client()
    guest.force_login(stranger)
    assert guest.get(piece.get_absolute_url()).status_code == 200


def test_pieces_of_a_deleted_account_are_deleted_with_all_files_and_work_on_them_stops(
    office: Client, piece: Piece
) -> None:
    firing = firings.enqueue_schedule(piece.base, coat())
    upload = Upload.objects.create(owner=piece.owner, kind=Upload.Kind.PICTURE, name="a.png")
    waiting = Path(settings.KILN_WORK) / "uploads" / f"{upload.pk}.png"
    waiting.parent.mkdir(parents=True)
    waiting.write_bytes(b"not read yet")
    title = piece.title
    office.post(reverse("delete-account", args=[piece.owner_id]), {"pieces": "delete"})
    assert not Piece.objects.exists()
    assert not Firing.objects.filter(pk=firing.pk).exists()
    assert stored_files() == set()
    assert not waiting.exists()
    assert [action for _, action, _ in entries()] == [Action.PIECE_DELETED, Action.ACCOUNT_DELETED]
    assert entries()[0][2] == f"{title}, of artist"


def test_entries_outlive_their_account(administrator: User, artist: User) -> None:
    artist.is_staff = True
    artist.save()
    services.set_role(artist, administrator, administrator=False)
    administrator.is_staff = True
    administrator.save()
    services.delete(administrator, artist, None)
    assert entries()[0] == ("artist", Action.ROLE_CHANGED, "administrator is now artist")
    assert AuditEntry.objects.earliest("pk").account is None


def test_tokens_are_recorded(signed_in: Client, artist: User) -> None:
    signed_in.post(reverse("tokens"), {"name": "night", "scopes": ["read", "fire"]})
    signed_in.post(reverse("revoke-token", args=[Token.objects.get().pk]))
    assert entries() == [
        ("artist", Action.TOKEN_CREATED, "night: read, fire"),
        ("artist", Action.TOKEN_REVOKED, "night"),
    ]


def test_the_audit_log_is_shown_in_pages_newest_first(office: Client, administrator: User) -> None:
    AuditEntry.objects.bulk_create(
        AuditEntry(name="porter", action=Action.QUOTA_SET, subject=f"number {number}")
        for number in range(150)
    )
    first = office.get(reverse("audit")).content.decode()
    assert "number 149" in first
    assert "number 49<" not in first
    assert "number 0<" in office.get(reverse("audit"), {"page": 2}).content.decode()


def test_long_subjects_are_shortened(administrator: User) -> None:
    with pytest.raises(Refusal):
        services.invite(administrator, "x" * 151, administrator=False)
    services.issue_token(administrator, "x" * 80, ["read", "import", "fire", "files"])
    assert entries()[0][2].startswith("x" * 80)
