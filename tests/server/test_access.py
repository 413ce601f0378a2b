"""What belongs to one artist is not there for another."""

from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import URLPattern, URLResolver, reverse
from django.utils import timezone
from pytest_django import DjangoAssertNumQueries

from enamel.accounts.models import Token
from enamel.batches import services as batches
from enamel.core.export.output import FileFormat, Output, PrintSettings
from enamel.core.geometry import Box
from enamel.core.masks.steps import box_mask
from enamel.core.pipeline.touchup import Patch, TouchUp
from enamel.core.pipeline.treatment import Treatment
from enamel.finishing.models import FinishPreset
from enamel.firings import services as firings
from enamel.firings.models import Firing, SchedulePreset
from enamel.library import masks
from enamel.library.models import Piece
from enamel.orders.models import SentCoat, ShopOrder
from enamel.prints import services as prints
from enamel.prints.models import OutputPreset
from enamel.server import urls
from enamel.swatches import services as swatches
from enamel.touchups import services as touchups
from enamel.uploads.models import Upload
from tests.schedules import coat

PUBLIC = {"sign-in", "sign-in-demo", "sign-out", "set-password", "healthz", "metrics"}
WITHOUT_OWNER: dict[str, dict[str, Any]] = {
    "pieces": {},
    "import-pictures": {},
    "models": {},
    "add-model": {},
    "suited": {},
    "switch-model": {"name": "lanczos"},
    "remove-model": {"name": "lanczos"},
    "model-crop": {"name": "lanczos", "place": 0},
    "preferences": {},
    "sessions": {},
    "end-session": {},
    "disk": {},
    "licences": {},
    "bill-of-materials": {},
    "change-password": {},
    "delete-pieces": {},
    "recently-deleted": {},
    "keep-finish": {},
    "print-files": {},
    "kiln": {},
    "tokens": {},
    "api-description": {},
    "bureau": {},
    "bureau-limit": {},
    "news": {},
    "batches": {},
    "start-batch": {},
    "batch-cost": {},
    "write-print-files": {},
    "print-files-together": {},
}
"""What everybody in the workshop shares, or only makes."""


def addresses(piece: Piece, firing: Firing) -> dict[str, str]:
    """Every address of the studio that shows or changes what someone owns."""
    parts: dict[str, dict[str, Any]] = {
        "piece": {"piece_id": piece.pk},
        "layer": {"layer_id": piece.base.pk},
        "firing": {"firing_id": firing.pk},
    }
    sheet = swatches.submit_sheet(piece, coat(), 0, Box(0, 0, 64, 64), [])
    upload = Upload.objects.create(owner=piece.owner, kind=Upload.Kind.PICTURE, name="a.png")
    parts["upload"] = {"upload_id": upload.pk}
    made = prints.order(piece.base, PrintSettings(Output(FileFormat.PNG)))
    parts["print"] = {"print_id": made.pk}
    order = ShopOrder.objects.create(print_file=made, paper="satin")
    parts["order"] = {"order_id": order.pk}
    sent = SentCoat.objects.create(
        piece=piece, start=piece.base, frozen={"factor": 2}, offer="1", cents=40, currency="EUR",
        seconds=1, expires=timezone.now(),
    )  # fmt: skip
    parts["sent"] = {"sent_id": sent.pk}
    parts["sheet"] = {"sheet_id": sheet.pk}
    house = SchedulePreset.objects.create(owner=piece.owner, name="big", schedule={})
    mask = box_mask(Box(20, 20, 40, 40), piece.base.size)
    mended = touchups.submit_candidates(piece.base, TouchUp((Patch(mask),)), ((0.5, 1),))
    parts["draft"] = {"draft_id": mended.pk}
    batch = batches.start(piece.owner, "posters", Treatment(), [piece])
    parts["batch"] = {"batch_id": batch.pk}
    numbers = {
        "batch-items": batch.items.get().pk,
        "swatches": sheet.swatches.get().pk,
        "presets": house.pk,
        "finishes": FinishPreset.objects.create(owner=piece.owner, name="soft", recipe={}).pk,
        "kept-files": OutputPreset.objects.create(owner=piece.owner, name="x", form={}).pk,
        "candidates": mended.candidates.get().pk,
        "tokens": Token.objects.issue(piece.owner, "x", ["read"])[0].pk,
        "masks": masks.keep(piece, "a box", mask).pk,
        "disk": piece.owner_id,
        "accounts": piece.owner_id,
    }
    extra = {
        "layer-tile": {"level": 7, "column": 0, "row": 0},
        "firing-tile": {"number": 1},
        "proof-tile": {"level": 7, "column": 0, "row": 0},
        "place-before": {"place": 0},
    }
    found = {}
    apps = [
        app for app in urls.urlpatterns if isinstance(app, URLResolver) and not str(app.pattern)
    ]
    for pattern in (one for app in apps for one in app.url_patterns):
        assert isinstance(pattern, URLPattern)
        name = str(pattern.name)
        if name in PUBLIC | set(WITHOUT_OWNER):
            continue
        route = str(pattern.pattern)
        if "<" not in route:  # for administrators
            found[name] = reverse(name)
            continue
        if "<uuid:" not in route:
            found[name] = reverse(name, args=[numbers[route.split("/")[0]]])
            continue
        owner = route.split("<uuid:")[1].split("_id>")[0]
        found[name] = reverse(name, kwargs=parts[owner] | extra.get(name, {}))
    return found


@pytest.fixture
def firing(piece: Piece) -> Firing:
    return firings.enqueue_schedule(piece.base, coat())


def test_another_account_gets_404_everywhere(
    client: Client, piece: Piece, firing: Firing, stranger: User
) -> None:
    client.force_login(stranger)
    for name, address in addresses(piece, firing).items():
        codes = {client.get(address).status_code, client.post(address).status_code}
        assert codes <= {404, 405}, name
        assert 404 in codes, name
    firing.refresh_from_db()
    assert firing.state == Firing.State.WAITING
    assert not firing.stop_requested
    thrown = client.post(reverse("delete-pieces"), {"piece": str(piece.pk)})
    assert thrown.status_code == 404
    piece.refresh_from_db()
    assert piece.deleted_at is None


def test_a_tile_that_was_painted_over_is_no_error(
    client: Client, firing: Firing, artist: User
) -> None:
    client.force_login(artist)
    address = reverse("firing-tile", kwargs={"firing_id": firing.pk, "number": 7})
    assert client.get(address).status_code == 204


def test_whose_a_tile_is_is_looked_up_once(
    client: Client,
    piece: Piece,
    artist: User,
    stranger: User,
    django_assert_num_queries: DjangoAssertNumQueries,
) -> None:
    tile = reverse("layer-tile", args=[piece.base.pk, 7, 0, 0])
    client.force_login(artist)
    first = client.get(tile)
    with django_assert_num_queries(0):
        again = client.get(tile)
    assert again.status_code == 200
    assert again.content == first.content
    assert "Cookie" in first.headers["Vary"]
    assert "Cookie" in again.headers["Vary"]
    client.force_login(stranger)
    assert client.get(tile).status_code == 404
    client.logout()
    assert client.get(tile).status_code == 302


def test_nobody_gets_in_without_signing_in(client: Client, piece: Piece, firing: Firing) -> None:
    listed = addresses(piece, firing) | {
        name: reverse(name, kwargs=more) for name, more in WITHOUT_OWNER.items()
    }
    for name, address in listed.items():
        for answer in (client.get(address), client.post(address)):
            refused = answer.status_code in (405,) or answer.headers.get("Location", "").startswith(
                reverse("sign-in")
            )
            assert refused, name


def test_the_list_holds_only_ones_own_pieces(
    client: Client, piece: Piece, artist: User, stranger: User
) -> None:
    client.force_login(stranger)
    assert piece.title not in client.get(reverse("pieces")).content.decode()
    client.force_login(artist)
    assert piece.title in client.get(reverse("pieces")).content.decode()


def test_the_demo_account_is_one_click_away_in_demo_mode_only(
    client: Client, settings: Any, db: None
) -> None:
    User.objects.create_user("kestrel-vale")
    settings.DEMO = False
    assert client.post(reverse("sign-in-demo")).status_code == 404
    assert "Kestrel Vale" not in client.get(reverse("sign-in")).content.decode()
    settings.DEMO = True
    assert "Kestrel Vale" in client.get(reverse("sign-in")).content.decode()
    assert (
        client.post(reverse("sign-in-demo"), follow=True).context["user"].username == "kestrel-vale"
    )


def test_forms_need_their_token(piece: Piece, firing: Firing, artist: User) -> None:
    strict = Client(enforce_csrf_checks=True)
    strict.force_login(artist)
    answer = strict.post(reverse("stop-firing", args=[firing.pk]))
    assert answer.status_code == 403
    assert "load the page again" in answer.content.decode()


def test_pages_allow_no_script_or_style_but_our_own(client: Client, db: None) -> None:
    policy = client.get(reverse("sign-in")).headers["Content-Security-Policy"]
    assert "default-src 'none'" in policy
    assert "script-src 'self'" in policy
    assert "unsafe" not in policy
    for template in Path("enamel").rglob("templates/**/*.html"):
        text = template.read_text()
        assert " style=" not in text, template
        assert "onclick" not in text, template


def test_a_page_that_is_not_there_says_so_in_the_sites_style(client: Client, artist: User) -> None:
    client.force_login(artist)
    answer = client.get("/nowhere/")
    assert answer.status_code == 404
    assert "belongs to another account" in answer.content.decode()
