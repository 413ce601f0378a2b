"""Checks in the kiln: part of a firing, kept with the layer, and no reason to lose one."""

from pathlib import Path

import numpy as np
import pytest
from django.test import Client
from django.urls import reverse
from procrastinate.contrib.django.models import ProcrastinateJob

from enamel.core.checks import VERSION
from enamel.core.errors import Refusal
from enamel.core.geometry import Box
from enamel.core.masks.steps import box_mask
from enamel.core.pipeline.touchup import Patch, TouchUp
from enamel.core.schedule import Refine
from enamel.firings import checking, run
from enamel.firings import services as firings
from enamel.firings.checking import submit_check
from enamel.firings.models import Firing
from enamel.library import layers as store
from enamel.library.models import Layer, Piece
from tests.layers import enlarged, layer_of
from tests.pages import words_of
from tests.pictures import whole
from tests.schedules import coat
from tests.workers import carry_out

pytestmark = pytest.mark.django_db


def fired(piece: Piece) -> Layer:
    firing = firings.enqueue_schedule(piece.base, coat())
    assert carry_out(firing)
    firing.refresh_from_db()
    assert firing.state == Firing.State.DONE, firing.error
    assert firing.result is not None
    return firing.result


def base_samples(piece: Piece) -> np.ndarray:
    with store.canvas_of(piece.base) as canvas:
        return whole(canvas)


def test_a_firing_checks_what_it_made(piece: Piece) -> None:
    layer = fired(piece)
    assert layer.checked
    assert layer.checks is not None
    assert layer.checks["version"] == VERSION
    assert layer.checks["size"] == [layer.width, layer.height]
    assert layer.checks["measures"]["structure"] > 0.9
    assert layer.verdict == layer.checks["verdict"] != ""
    assert not piece.base.checked
    assert piece.base.verdict == ""


def test_joins_are_judged_by_what_was_refined_kept_or_made_again(
    piece: Piece, monkeypatch: pytest.MonkeyPatch
) -> None:
    given: list[Path | None] = []
    check_layer = checking.check_layer

    def noted(layer: Layer, enlarged: Path | None = None) -> None:
        given.append(enlarged if enlarged is not None and enlarged.exists() else None)
        check_layer(layer, enlarged)

    monkeypatch.setattr(run, "check_layer", noted)
    layer = fired(piece)
    assert given[0] is not None, "the firing hands over what it enlarged"
    first = layer.checks
    assert first is not None
    Layer.objects.filter(pk=layer.pk).update(checks=None, checked_by=None)
    assert carry_out(submit_check(layer))
    layer.refresh_from_db()
    assert layer.checks is not None
    assert layer.checks["measures"] == first["measures"]


def test_a_layer_whose_checks_fail_is_kept(piece: Piece, monkeypatch: pytest.MonkeyPatch) -> None:
    def broken(layer: Layer, enlarged: Path | None = None) -> None:
        raise RuntimeError("a measure went wrong")

    monkeypatch.setattr(run, "check_layer", broken)
    layer = fired(piece)
    assert layer.ready
    assert not layer.checked
    assert layer.verdict == ""


def test_a_touch_up_is_checked_too(piece: Piece) -> None:
    mask = box_mask(Box(20, 20, 64, 64), piece.base.size)
    settings = TouchUp((Patch(mask, strength=0.3),), refine=Refine(steps=2))
    firing = firings.enqueue_touch_up(piece.base, settings)
    assert carry_out(firing)
    firing.refresh_from_db()
    assert firing.result is not None, firing.error
    assert firing.result.checked


def test_a_planted_tint_is_in_the_verdict_and_reports_of_old_forms_are_made_again(
    piece: Piece, tmp_path: Path
) -> None:
    tint = np.array([1.06, 1.0, 0.86])
    warm = np.clip(enlarged(base_samples(piece)) * tint, 0, 65535).astype(np.uint16)
    layer = layer_of(piece, warm, tmp_path)
    assert layer.checks is not None
    assert f"colour +{layer.checks['measures']['colour']:.1f} ΔE" in layer.verdict
    assert layer.checks["measures"]["warmth"] > 1
    finding = next(one for one in layer.checks["findings"] if one["kind"] == "colour")
    assert Box(*finding["box"]) == Box(0, 0, *layer.size)
    layer.checked_by = 0
    layer.save()
    assert not layer.checked
    assert carry_out(submit_check(layer))
    layer.refresh_from_db()
    assert layer.checked


def test_a_layer_is_checked_once_however_often_that_is_asked(piece: Piece, tmp_path: Path) -> None:
    layer = layer_of(piece, enlarged(base_samples(piece)), tmp_path, checked=False)
    submit_check(layer)
    check = submit_check(layer)
    entries = ProcrastinateJob.objects.filter(task_name="firings.layercheck")
    assert [entry.queue_name for entry in entries] == ["maintenance"]
    carry_out(check)
    layer.refresh_from_db()
    assert not submit_check(layer).open
    layer.checked_by = VERSION - 1
    layer.save()
    assert submit_check(layer).open, "checks of another version are made again"


def test_a_check_that_failed_says_why_and_can_be_tried_again(
    signed_in: Client, piece: Piece, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def refuse(layer: Layer) -> None:
        raise Refusal("Its file is gone.")

    layer = layer_of(piece, enlarged(base_samples(piece)), tmp_path, checked=False)
    monkeypatch.setattr("enamel.firings.jobs.check_layer", refuse)
    carry_out(submit_check(layer))
    page = signed_in.get(reverse("compare", args=[piece.pk]))
    assert "could not be checked. Its file is gone." in words_of(page)
    assert signed_in.get(reverse("layer-checked", args=[layer.pk])).json() == {"ready": True}
    assert submit_check(layer).open
