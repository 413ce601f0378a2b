"""The comparing bench: which pictures, what sets them apart, what is said of them."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from django.contrib.auth.models import User
from django.http import QueryDict
from django.test import Client
from django.urls import reverse

from enamel.compare.presenters import (
    Compared,
    Comparison,
    settings_apart,
    without_masks,
)
from enamel.core.checks.measures import MEASURES
from enamel.core.fields import to_json
from enamel.core.geometry import Box
from enamel.core.masks import Mask
from enamel.core.masks.steps import Rectangle
from enamel.core.schedule import Schedule
from enamel.library import layers as store
from enamel.library import services as library
from enamel.library.models import Layer, Piece
from enamel.library.viewing import MOST_COMPARED, middle_of
from enamel.swatches import services as swatches
from tests.layers import enlarged, layer_of
from tests.pictures import whole
from tests.schedules import coat
from tests.workers import carry_out

pytestmark = pytest.mark.django_db


def samples_of(piece: Piece) -> np.ndarray:
    with store.canvas_of(piece.base) as canvas:
        return whole(canvas)


@pytest.fixture
def two(piece: Piece, tmp_path: Path) -> tuple[Layer, Layer]:
    """A faithful layer and a warm one of other settings."""
    plain = enlarged(samples_of(piece))
    warm = np.clip(plain * np.array([1.06, 1.0, 0.86]), 0, 65535).astype(np.uint16)
    return (
        layer_of(piece, plain, tmp_path, strength=0.25, seed=7),
        layer_of(piece, warm, tmp_path, strength=0.35, seed=19),
    )


def comparison(piece: Piece, **picked: Any) -> Comparison:
    query = QueryDict(mutable=True)
    query.update(picked)
    return Comparison(piece, query)


def test_settings_that_differ_stand_in_one_line(piece: Piece, two: tuple[Layer, Layer]) -> None:
    one, other = map(Compared, two)
    assert settings_apart(one, other) == "strength 0.25 → 0.35, seed 7 → 19"
    assert settings_apart(other, one) == "strength 0.35 → 0.25, seed 19 → 7"
    assert settings_apart(one, one) == "the same settings"
    base = Compared(piece.base)
    assert settings_apart(base, one) == "0 coats → 1 coat, Lanczos with strength 0.25, seed 7"


def test_what_was_asked_for_is_shown_in_that_order_and_never_too_many(
    piece: Piece, two: tuple[Layer, Layer]
) -> None:
    _, second = two
    usual = comparison(piece)
    assert [one.of for one in usual.shown] == [piece.base, second]
    asked = comparison(piece, show=f"{second.pk},{piece.base.pk},nonsense,{second.pk}", way="grid")
    assert [one.of for one in asked.shown] == [second, piece.base]
    assert asked.way == "grid"
    assert comparison(piece, way="no way").way == "wipe"
    everything = ",".join(one.token for one in usual.choices)
    assert len(comparison(piece, show=everything).shown) <= MOST_COMPARED


def test_swatches_stand_in_their_place(piece: Piece) -> None:
    sheet = swatches.submit_sheet(piece, Schedule(coat().coats), 0, Box(60, 40, 70, 50), [])
    (swatch,) = sheet.swatches.all()
    carry_out(swatch)
    shown = comparison(piece, show=f"{piece.base.pk},s{swatch.pk}")
    described = shown.shown[1].for_script()
    assert described["box"] == [60, 40, 70, 50]
    assert [described["width"], described["height"]] == list(sheet.size)
    assert described["image"] == reverse("swatch-picture", args=[swatch.pk])
    assert middle_of(sheet.box, sheet.size) == f"u={95 / 224:.5f}&v={65 / 224:.5f}"


def test_layers_of_another_piece_with_the_same_base_can_be_chosen(
    piece: Piece, two: tuple[Layer, Layer], stranger: User, picture_file: Path, tmp_path: Path
) -> None:
    twin = library.duplicate(piece)
    layer = layer_of(twin, enlarged(samples_of(piece)), tmp_path)
    tokens = [one.token for one in comparison(piece).choices]
    assert str(layer.pk) in tokens
    assert tokens[0] == str(piece.base.pk), "its own come first"
    piece.owner = stranger
    piece.save()
    assert str(layer.pk) not in [one.token for one in comparison(piece).choices]


def test_the_table_marks_the_best_of_each_measure(piece: Piece, two: tuple[Layer, Layer]) -> None:
    context = comparison(piece, show=f"{piece.base.pk},{two[0].pk},{two[1].pk}").context()
    base, faithful, warm = context["table"]
    place = [measure.name for measure in MEASURES].index("colour")
    assert base["cells"][place]["written"] == "–"
    assert faithful["cells"][place]["best"]
    assert not warm["cells"][place]["best"]
    assert float(warm["cells"][place]["written"]) > 1


def test_the_page_tells_the_script_all_it_needs(
    signed_in: Client, piece: Piece, two: tuple[Layer, Layer]
) -> None:
    address = reverse("compare", args=[piece.pk])
    answer = signed_in.get(address, {"show": f"{two[0].pk},{two[1].pk}", "way": "difference"})
    assert answer.status_code == 200
    page = answer.content.decode()
    assert two[1].verdict in page
    assert json.dumps("strength 0.25 → 0.35, seed 7 → 19").strip('"') in page
    pictures = answer.context["pictures"]
    assert json.loads(json.dumps(pictures)) == pictures
    assert [picture["letter"] for picture in pictures] == ["A", "B"]
    assert pictures[1]["findings"][0]["kind"] == "colour"
    assert {"structure", "colour", "lost", "invented", "halos"} <= set(pictures[1]["maps"])


def test_a_layer_that_was_not_checked_can_be_now(
    signed_in: Client, piece: Piece, tmp_path: Path
) -> None:
    layer = layer_of(piece, enlarged(samples_of(piece)), tmp_path, checked=False)
    page = signed_in.get(reverse("compare", args=[piece.pk]))
    assert "not been checked yet" in page.content.decode()
    back = reverse("compare", args=[piece.pk])
    answer = signed_in.post(reverse("check-layer", args=[layer.pk]), {"back": back})
    assert answer.headers["Location"] == back
    assert "Being checked" in signed_in.get(back).content.decode()
    assert signed_in.get(reverse("layer-checked", args=[layer.pk])).json() == {"ready": False}
    elsewhere = signed_in.post(
        reverse("check-layer", args=[layer.pk]), {"back": "https://elsewhere.example/"}
    )
    assert elsewhere.headers["Location"] == piece.get_absolute_url()


def test_the_verdict_stands_in_the_section(
    signed_in: Client, piece: Piece, two: tuple[Layer, Layer]
) -> None:
    page = signed_in.get(piece.get_absolute_url(), {"layer": str(two[1].pk)}).content.decode()
    assert page.count(two[1].verdict) >= 2, "beside the drawing, and on its band"


def test_masks_are_written_as_the_place_they_cover() -> None:
    drawn = Mask((200, 100), (Rectangle(20.0, 30.0, 40.0, 50.0),))
    form = {"patches": [{"mask": to_json(drawn), "seed": 3}], "context": 0.5}
    described = without_masks(form)
    assert described == {"patches": [{"mask": "42 × 52 px at 19, 29", "seed": 3}], "context": 0.5}
