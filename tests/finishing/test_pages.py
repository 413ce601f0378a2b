"""Pages of finishes: previews, what steps propose, finish presets, and what is refused."""

import json
from typing import Any

import numpy as np
import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from enamel.core.finishing.recipe import Colour, Finish, Tone
from enamel.finishing.models import FinishPreset
from enamel.finishing.presenters import present_steps
from enamel.firings.models import Firing
from enamel.library.models import Layer, Piece

pytestmark = pytest.mark.django_db
GREY = Finish(colour=Colour(on=True, saturation=-1.0))


def written(recipe: Finish) -> str:
    return json.dumps(recipe.to_json())


def send(client: Client, address: str, /, *args: Any, **given: object) -> Any:
    return client.post(reverse(address, args=args), given, headers={"accept": "application/json"})


def test_every_step_is_on_the_page_with_its_range_and_its_reason(
    signed_in: Client, piece: Piece
) -> None:
    page = signed_in.get(piece.get_absolute_url(), {"task": "finish"}).content.decode()
    for step in present_steps():
        assert f'data-step="{step.name}"' in page
        assert step.title in page
        for control in step.controls:
            assert f'data-control="{control.name}" data-low="{control.low}"' in page
        answer = send(
            signed_in, "finish-automatic", piece.base.pk, recipe=written(Finish()), step=step.name
        )
        proposed = answer.json()
        assert any(sign.isdigit() for sign in proposed["reason"]) or step.name == "match"
        Finish.from_json({step.name: proposed["step"]})


def test_a_preview_shows_the_current_recipe(signed_in: Client, piece: Piece) -> None:
    answer = send(
        signed_in, "finish-preview", piece.base.pk,
        recipe=written(GREY), window="10 12 40 30", pixels=1200,
    )  # fmt: skip
    assert answer["Enamel-Width"] == "40"
    values = np.frombuffer(answer.content, np.uint8).reshape(30, 40, 4).astype(int)
    assert np.ptp(values[..., :3], axis=2).max() <= 1
    assert values[..., 3].min() == 255


@pytest.mark.parametrize(
    ("given", "words"),
    [
        ({"recipe": "{"}, "no JSON"),
        ({"recipe": '{"tone": {"black": 7}}'}, "tone.black"),
        ({"window": "1 2 3"}, "left, top, width and height"),
        ({"window": "9000 0 10 10"}, "outside the layer"),
        ({"pixels": 10**9}, "less than or equal"),
    ],
)
def test_a_preview_that_can_not_be_made_says_why(
    signed_in: Client, piece: Piece, given: dict[str, object], words: str
) -> None:
    usual = {"recipe": written(GREY), "window": "0 0 10 10", "pixels": 100}
    answer = send(signed_in, "finish-preview", piece.base.pk, **(usual | given))
    assert answer.status_code in (400, 422)
    assert words in answer.json()["words"]


def test_a_recipe_is_fired_or_shown_again_with_what_is_wrong(
    signed_in: Client, piece: Piece
) -> None:
    address = reverse("finish", args=[piece.base.pk])
    for recipe, words in ((written(Finish()), "switch one on"), ("[]", "must be an object")):
        answer = signed_in.post(address, {"recipe": recipe})
        assert answer.status_code == 422
        assert words in answer.content.decode()
    assert signed_in.post(address, {"recipe": written(GREY)}).status_code == 302
    firing = Firing.objects.get()
    assert (firing.work, firing.steps()) == (Firing.Work.FINISH, [GREY])


def test_a_layer_from_before_is_measured_first(signed_in: Client, piece: Piece) -> None:
    Layer.objects.filter(pk=piece.base.pk).update(overview="", measured=None)
    page = signed_in.get(piece.get_absolute_url(), {"task": "finish"}).content.decode()
    assert "is being measured" in page
    state = reverse("layer-state", args=[piece.base.pk])
    assert signed_in.get(state, {"for": "finish"}).json() == {"ready": False}
    assert signed_in.get(state).json() == {"ready": True}


def test_finish_presets_are_kept_exported_and_deleted_by_their_owner_only(
    signed_in: Client, piece: Piece, stranger: User, client: Client
) -> None:
    for recipe in (GREY, Finish(tone=Tone(on=True))):
        answer = send(signed_in, "keep-finish", name=" soft ", recipe=written(recipe)).json()
    kept = FinishPreset.objects.get()
    assert (kept.name, kept.as_finish()) == ("soft", Finish(tone=Tone(on=True)))
    file = signed_in.get(answer["file"])
    assert Finish.from_json(json.loads(file.content)) == kept.as_finish()
    assert "soft.finish.json" in file["Content-Disposition"]
    page = signed_in.get(piece.get_absolute_url(), {"task": "finish"}).content.decode()
    assert answer["delete"] in page
    assert "must be" in send(signed_in, "keep-finish", name="x", recipe="[]").json()["words"]
    assert "deleted" in signed_in.post(answer["delete"]).json()["words"]
    assert not FinishPreset.objects.exists()
