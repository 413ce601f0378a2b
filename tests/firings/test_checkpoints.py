"""Checkpoints on the pages: listed with what they need, chosen beside a coat, told what they can't do."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from enamel.catalogue import services as catalogue
from enamel.catalogue.models import Model, offered
from enamel.core.checkpoints import devices
from enamel.core.checkpoints.intake import checkpoints_folder
from enamel.core.schedule import Coat, Kit, Refine, Schedule
from enamel.firings.forms.coat import CoatForm
from enamel.library.layers import metadata_of
from enamel.library.models import Piece
from tests.cards import put_card, put_checkpoint, take_cards_away
from tests.core.test_checkpoint_intake import safetensors
from tests.pages import words_of

pytestmark = pytest.mark.django_db


@pytest.fixture
def shelf(tmp_path: Path) -> Iterator[Path]:
    """A checkpoint, an adapter and a guide that were added."""
    put_checkpoint("night-mail", tmp_path, few_steps=4)
    put_card("copper-line", "adapter", tmp_path)
    put_card("edges", "guide", tmp_path)
    yield tmp_path
    take_cards_away()


def page(client: Client, address: str) -> str:
    return words_of(client.get(address))


def test_they_are_listed_with_what_they_are(signed_in: Client, shelf: Path) -> None:
    shown = page(signed_in, reverse("models"))
    assert "tiles of 768 px, 4 steps" in shown
    assert "8 px a cell, 4 channels, drifts 2.4 levels" in shown
    assert "unet 860 M" in shown
    assert "Chosen beside a checkpoint" in shown
    assert "night-mail" in offered().refiners
    assert "edges" not in offered().refiners


def test_what_is_in_the_folder_can_be_added(signed_in: Client, piece: Piece) -> None:
    place = checkpoints_folder()
    assert place is not None
    safetensors(place / "signal-red.safetensors", {"lora": (2, 2)})
    try:
        shown = page(signed_in, reverse("models"))
        assert "signal-red.safetensors" in shown
        assert str(place) in shown
    finally:
        (place / "signal-red.safetensors").unlink()


@pytest.mark.parametrize(("build", "advised"), [("2.13.0+cpu", True), ("2.13.0", False)])
def test_it_is_shown_which_build_a_graphics_card_needs(
    signed_in: Client, monkeypatch: pytest.MonkeyPatch, build: str, advised: bool
) -> None:
    monkeypatch.setattr(devices, "version", lambda name: build)
    assert ("torch’s build for CUDA, ROCm or XPU" in page(signed_in, reverse("models"))) == advised


def test_without_the_extra_the_page_says_how_to_get_it(
    signed_in: Client, shelf: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(devices, "EXTRA", ("a-package-nobody-has",))
    assert "bin/setup --checkpoints" in page(signed_in, reverse("models"))


def chosen(piece: Piece, **more: object) -> None:
    refine = Refine(model="night-mail", **more)  # type: ignore[arg-type]
    piece.keep_schedule(Schedule((Coat(factor=2.0, refine=refine),)))


def test_a_coat_says_what_follows_from_choosing_one(
    signed_in: Client, piece: Piece, shelf: Path
) -> None:
    chosen(piece, kit=Kit(guide="edges"), guidance=4.0)
    shown = page(signed_in, f"{piece.get_absolute_url()}?task=coat")
    assert 'data-abilities="holding-guide kit"' in shown
    assert "made for 4 steps of its own at guidance 1" in shown
    assert "its VAE drifts 2.4 levels there and back" in shown
    assert "Night-mail was made for tiles of 768 px" in shown


def test_what_it_is_used_with_is_kept_by_name_and_hash(
    signed_in: Client, piece: Piece, shelf: Path
) -> None:
    chosen(piece)
    coat = piece.schedule.coats[0]
    values = CoatForm.values(coat, piece.base.size)
    values |= {"adapters": "copper-line 0.8", "structure_guide": "edges"}
    given = {key: "" if value is None else value for key, value in values.items()}
    address = reverse("schedule", args=[piece.pk])
    assert signed_in.post(address, given | {"do": "save", "coat": 0}).status_code == 302
    piece.refresh_from_db()
    refine = piece.schedule.coats[0].refine
    assert refine is not None
    assert refine.kit is not None
    assert [(one.name, one.weight) for one in refine.kit.adapters] == [("copper-line", 0.8)]
    hashes = [refine.kit.sha256, refine.kit.guide_sha256, refine.kit.adapters[0].sha256]
    assert all(len(one) == 64 for one in hashes)
    # with another refiner it is kept, and comes back
    given |= {"adapters": "copper-line 0.8", "model": "grisaille"}
    signed_in.post(address, given | {"do": "save", "coat": 0})
    piece.refresh_from_db()
    kept = piece.schedule.coats[0].refine
    assert kept is not None
    assert kept.kit is not None
    assert kept.kit.adapters[0].name == "copper-line"


def test_an_adapter_that_is_not_there_is_shown_beside_its_field(
    signed_in: Client, piece: Piece, shelf: Path
) -> None:
    chosen(piece)
    values = CoatForm.values(piece.schedule.coats[0], piece.base.size) | {"adapters": "brass 1"}
    given = {key: "" if value is None else value for key, value in values.items()}
    answer = signed_in.post(reverse("schedule", args=[piece.pk]), given | {"do": "save", "coat": 0})
    assert answer.status_code == 422
    assert (
        "There is no adapter named &#x27;brass&#x27;. Known: copper-line."
        in answer.content.decode()
    )


def test_deleting_takes_it_off_the_list_and_leaves_its_files(
    administrator: User, shelf: Path
) -> None:
    model = Model.objects.named("copper-line")
    assert model is not None
    catalogue.remove(model, administrator)
    assert Model.objects.named("copper-line") is None
    assert (shelf / "copper-line.safetensors").exists()


def test_a_file_made_with_one_says_so(piece: Piece, shelf: Path) -> None:
    layer = piece.base
    kit = {"adapters": [{"name": "copper-line", "weight": 0.8}], "guide": "edges", "vae": ""}
    layer.recipe = {"coat": {"refine": {"model": "night-mail", "kit": kit}}}
    assert metadata_of(layer)["Iptc4xmpExt:AISystemUsed"].endswith("night-mail, copper-line, edges")
