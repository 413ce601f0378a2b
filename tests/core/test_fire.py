"""Running schedules: what is reused, reported, predicted and refused."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from enamel.core.errors import Refusal
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Pixels
from enamel.core.pipeline.firing import FiringResult, fraction_lost
from enamel.core.pipeline.pace import Paces
from enamel.core.pipeline.predict import predict
from enamel.core.progress import Progress
from enamel.core.schedule import Coat, Mode, Schedule
from tests.core.conftest import MODES
from tests.pictures import assert_same_pixels, portrait, whole
from tests.schedules import coat, quick

Fire = Callable[..., FiringResult]


def test_a_coat_whose_settings_have_not_changed_is_not_computed_again(
    fired: Fire, tmp_path: Path
) -> None:
    first = Coat(factor=2, refine=quick(steps=1))
    fired(Schedule((first, Coat(factor=1.5, refine=None))), work=tmp_path / "shared")
    later = fired(
        Schedule((first, Coat(factor=1.5, refine=quick(steps=1)))), work=tmp_path / "shared"
    )
    assert [report.reused for report in later.reports] == [True, False]
    assert later.reports[0].tiles == 0


@pytest.mark.parametrize("mode", MODES)
def test_progress_counts_every_tile_as_predicted(fired: Fire, mode: Mode) -> None:
    received: list[Progress] = []
    schedule = coat(mode=mode)
    result = fired(schedule, on_progress=received.append)
    (cost,) = predict(schedule, portrait().size, Paces()).coats
    assert [news.done for news in received] == list(range(1, cost.tasks + 1))
    assert {news.total for news in received} == {cost.tasks}
    assert result.reports[0].tiles == cost.tasks
    for news in received:
        assert news.preview.shape == (news.box.height, news.box.width, 3)
        assert Box.whole(result.result.size).contains(news.box)


def test_the_report_tells_time_tiles_memory_and_sizes(fired: Fire) -> None:
    report = fired(coat()).to_json()
    (stage,) = report["stages"]
    assert stage["size"] == [224, 176]
    assert stage["tiles"] == 9
    assert 0 < stage["model_seconds"] <= stage["refine_seconds"] <= report["seconds"]
    assert report["peak_memory_mb"] > 50
    assert stage["recipe"]["coat"]["refine"]["seed"] == 5


def test_nothing_is_left_in_the_folder_but_the_layer(fired: Fire, tmp_path: Path) -> None:
    fired(coat(mode=Mode.JOINT, hold=0.5), work=tmp_path / "work")
    left = [path.name for path in (tmp_path / "work").rglob("*") if path.is_file()]
    assert left == ["layer.npy"]


def test_alpha_is_carried_beside_the_refined_colour(fired: Fire) -> None:
    colour = whole(portrait())
    alpha = np.full((*colour.shape[:2], 1), 65535, np.uint16)
    alpha[:40] = 1234
    opaque = slice(2 * 40 + 120, None)  # as far below as the coat's networks look
    with_alpha = fired(coat(), base=Pixels(np.concatenate([colour, alpha], 2))).result
    without = fired(coat()).result
    assert_same_pixels(whole(with_alpha)[opaque, :, :3], whole(without)[opaque])
    assert (whole(with_alpha)[:70, :, 3] == 1234).all()


def test_a_window_with_alpha_of_a_coat_that_makes_smaller(fired: Fire) -> None:
    colour = whole(portrait())
    alpha = np.arange(colour.shape[0] * colour.shape[1], dtype=np.uint16)
    base = Pixels(np.concatenate([colour, alpha.reshape(*colour.shape[:2], 1)], 2))
    schedule = Schedule((Coat(factor=0.3, refine=None), Coat(factor=1.5, refine=None)))
    all_of_it = whole(fired(schedule, base=base).result)
    window = Box(20, 10, 12, 9)
    part = fired(schedule, window, base=base).result
    assert_same_pixels(part.read(window), all_of_it[window.slices])


def test_prediction_grows_with_what_is_asked() -> None:
    plain = predict(coat(), Size(512, 512), Paces())
    assert predict(coat(steps=6), Size(512, 512), Paces()).seconds > 1.5 * plain.seconds
    assert predict(coat(overlap=48), Size(512, 512), Paces()).tiles > plain.tiles
    assert predict(coat(tile=(512, 512)), Size(512, 512), Paces()).memory_mb > plain.memory_mb
    larger = predict(coat(), Size(2048, 2048), Paces())
    assert larger.memory_mb == plain.memory_mb
    assert larger.disk_mb > 10 * plain.disk_mb


@pytest.mark.parametrize("window", [Box(200, 0, 50, 50), Box(0, 0, 0, 10), Box(-4, 0, 8, 8)])
def test_a_window_outside_the_result_is_refused(fired: Fire, window: Box) -> None:
    with pytest.raises(Refusal, match="does not lie inside"):
        fired(coat(), window)


def test_a_model_that_is_not_there_is_refused_with_the_names_there_are(fired: Fire) -> None:
    with pytest.raises(Refusal, match="grisaille"):
        fired(coat(model="nobody"))


@pytest.mark.parametrize(
    ("native", "factor", "fraction"),
    [(None, 2.0, 1), (4, 4.0, 1), (4, 2.0, 0.7071), (4, 16.0, 1), (4, 8.0, 0.7071), (2, 2.0, 1), (4, 1.0, 1),
     (2, 1.5, 0.866), (4, 0.5, 1)],
)  # fmt: skip
def test_what_a_trained_upscaler_has_over_after_resampling_down_is_not_lost(
    native: int | None, factor: float, fraction: float
) -> None:
    assert fraction_lost(native, factor) == pytest.approx(fraction, abs=1e-4)
