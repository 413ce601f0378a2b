"""Finishes in the kiln: previewed pixels are the layer's, measured once, changed, done again."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from enamel.core.errors import Refusal
from enamel.core.finishing.facts import Measurements
from enamel.core.finishing.overview import Overview
from enamel.core.finishing.recipe import Colour, Deblur, Finish, Grain, Match, Sharpen, Tone
from enamel.core.geometry import Box
from enamel.finishing import services as finishing
from enamel.firings import finishes
from enamel.firings import services as firings
from enamel.firings.models import Firing
from enamel.library import services as library
from enamel.library.layers import canvas_of, prepare
from enamel.library.models import Layer, Piece
from enamel.library.overviews import overview_of
from tests.layers import enlarged, layer_of
from tests.pictures import assert_same_pixels
from tests.workers import carry_out

pytestmark = pytest.mark.django_db
RECIPE = Finish(
    tone=Tone(on=True, black=0.05, middle=1.2),
    match=Match(on=True, local=0.5, radius=40),
    sharpen=Sharpen(on=True, amount=1.0),
    grain=Grain(on=True),
)


def pixels_of(layer: Layer) -> np.ndarray:
    with canvas_of(layer) as canvas:
        return canvas.read(Box.whole(layer.size))


def carried_out(firing: Firing) -> Layer:
    assert carry_out(firing)
    firing.refresh_from_db()
    assert firing.result is not None, firing.error
    return firing.result


@pytest.fixture
def coat(piece: Piece, tmp_path: Path) -> Layer:
    return layer_of(piece, enlarged(pixels_of(piece.base)), tmp_path)


def test_a_finish_becomes_a_layer_whose_pixels_were_previewed(coat: Layer) -> None:
    window = Box(31, 17, 60, 50)
    seen = finishing.shown(coat, RECIPE, window, window.area)
    result = carried_out(firings.enqueue_finish(coat, RECIPE))
    assert (result.kind, result.parent) == (Layer.Kind.FINISH, coat)
    assert_same_pixels(pixels_of(result)[window.slices], seen)
    assert result.step_form == {"finish": RECIPE.to_json()}
    assert result.surveyed
    # steps that are off do not count: equal pixels are one layer
    same = Finish(tone=RECIPE.tone, match=RECIPE.match, sharpen=RECIPE.sharpen, grain=RECIPE.grain,
                  colour=Colour(on=False, saturation=0.7))  # fmt: skip
    assert carried_out(firings.enqueue_finish(coat, same)) == result


def test_a_layer_is_measured_once_when_it_is_made_ready(coat: Layer) -> None:
    facts = Measurements.from_json(coat.measured)
    assert facts.block == pytest.approx(16)
    with canvas_of(coat) as canvas:
        assert_same_pixels(overview_of(coat).cells, Overview.of(canvas).cells)
    before = coat.overview.name
    prepare(coat)
    assert coat.overview.name == before
    Layer.objects.filter(pk=coat.pk).update(
        overview="", measured=None
    )  # from before there were finishes
    older = Layer.objects.get(pk=coat.pk)
    prepare(older)
    assert Measurements.from_json(older.measured) == facts


def test_while_a_step_is_set_those_before_it_are_not_done_again(
    coat: Layer, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = Box(20, 10, 90, 70)
    recipes = [
        replace(RECIPE, sharpen=Sharpen(on=True, radius=radius)) for radius in (1.0, 2.0, 1.5, 6.0)
    ]
    recipes.append(replace(recipes[-1], tone=Tone(on=True, middle=0.9)))
    done: list[list[str]] = []

    class Watched(finishing.Finished):
        def read(self, box: Box) -> np.ndarray:
            done.append(list(self.recipe.steps))
            return super().read(box)

    monkeypatch.setattr(finishing, "Finished", Watched)
    monkeypatch.setattr(finishing, "ROOM", 8)  # less than the last radius needs
    seen = [finishing.shown(coat, recipe, window, window.area) for recipe in recipes]
    everything, after, before = (
        ["tone", "match", "sharpen", "grain"],
        ["sharpen", "grain"],
        ["tone", "match"],
    )
    assert done == [everything, before, after, after, before, after, everything]
    monkeypatch.undo()
    for recipe, samples in zip(recipes, seen, strict=True):
        with finishes.opened(coat, recipe) as made:
            assert_same_pixels(samples, made.read(window))


def test_a_large_part_is_previewed_reduced(coat: Layer, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(finishing, "MOST_EXACT", 100)
    whole = Box.whole(coat.size)
    recipe = Finish(tone=RECIPE.tone, deblur=Deblur(on=True, blur=0.4))
    seen = finishing.shown(coat, recipe, whole, 9000)
    assert seen.shape[0] * seen.shape[1] < 13_000
    result = pixels_of(carried_out(firings.enqueue_finish(coat, recipe)))
    assert seen.mean() == pytest.approx(result.mean(), rel=0.01)
    with pytest.raises(Refusal, match="outside the layer"):
        finishing.shown(coat, recipe, Box(4000, 0, 10, 10), 100)


def test_steps_decide_against_the_base(coat: Layer) -> None:
    proposal = finishing.proposal(coat, Finish(), "match")
    assert proposal.step.on
    assert "0.0 levels" in proposal.reason
    on_base = finishing.proposal(coat.piece.base, Finish(), "match")
    assert not on_base.step.on
    coat.overview = ""
    for asked in (
        lambda: finishing.proposal(coat, Finish(), "tone"),
        lambda: finishing.shown(coat, Finish(), Box(0, 0, 9, 9), 81),
    ):
        with pytest.raises(Refusal, match="still being measured"):
            asked()


def test_what_can_not_be_finished_is_refused(coat: Layer) -> None:
    with pytest.raises(Refusal, match="switch one on"):
        firings.enqueue_finish(coat, Finish())
    gone = Finish(match=Match(on=True, to="f" * 64))
    with pytest.raises(Refusal, match="choose another under “Match”"):
        firings.enqueue_finish(coat, gone)
    assert not Firing.objects.exists()


def test_a_changed_finish_keeps_its_place_and_what_came_after_is_done_again(coat: Layer) -> None:
    first = carried_out(firings.enqueue_finish(coat, Finish(tone=Tone(on=True, middle=1.3))))
    grain = Finish(grain=Grain(on=True, seed=3))
    carried_out(firings.enqueue_finish(first, grain))
    changed = Finish(tone=Tone(on=True, middle=0.8))
    second = carried_out(firings.enqueue_finish(coat, changed, first))
    assert second.replaces == first
    assert firings.replaced_by(second) == first
    again = carried_out(firings.enqueue_again(second, firings.after(first)))
    assert (again.kind, again.parent) == (Layer.Kind.FINISH, second)
    assert again.recipe["finish"] == grain.to_json()


def test_a_deleted_piece_leaves_no_overview_behind(coat: Layer) -> None:
    storage, name = coat.overview.storage, coat.overview.name
    assert storage.exists(name)
    Piece.objects.filter(pk=coat.piece_id).update(deleted_at="2000-01-01T00:00Z")
    library.delete_for_good()
    assert not storage.exists(name)
