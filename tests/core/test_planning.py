"""Plans from a base to a print."""

from hypothesis import given
from hypothesis import strategies as st

from enamel.core.geometry import Size
from enamel.core.pipeline.planning import propose
from enamel.core.schedule import Refine, Schedule


@given(width=st.integers(300, 2000), height=st.integers(300, 2000), growth=st.floats(1, 12))
def test_a_plan_ends_at_the_target_and_every_step_is_reasonable(
    width: int, height: int, growth: float
) -> None:
    base = Size(width, height)
    target = Size(round(width * growth), round(height * growth))
    planned = propose(base, target)
    schedule = Schedule(tuple(stage.coat for stage in planned))
    assert schedule.sizes(base)[-1] == target
    assert [stage.size for stage in planned] == schedule.sizes(base)
    strengths = [stage.coat.refine.strength for stage in planned if stage.coat.refine]
    assert strengths == sorted(strengths, reverse=True)
    sizes = [base, *(stage.size for stage in planned)]
    for before, after in zip(sizes, sizes[1:], strict=False):
        assert after.width / before.width < 2.01
    total = sum(stage.work for stage in planned)
    assert abs(total - 1) < 1e-6 or not strengths
    assert all(stage.sentence.endswith(".") for stage in planned)


def test_words_are_dropped_at_the_last_refined_stage_and_said_so() -> None:
    planned = propose(Size(768, 1024), Size(3072, 4096), Refine(prompt="stationmaster, brick"))
    prompts = [stage.coat.refine.prompt for stage in planned if stage.coat.refine]
    assert prompts == ["stationmaster, brick", ""]
    assert "without words" in planned[-1].sentence
    (only,) = propose(Size(768, 1024), Size(1536, 2048), Refine(prompt="brick"))
    assert only.coat.refine is not None
    assert only.coat.refine.prompt == "brick"


def test_a_last_few_pixels_are_a_plain_fit() -> None:
    planned = propose(Size(667, 1000), Size(2700, 4000))
    assert planned[-1].coat.refine is None
    assert "exact fit" in planned[-1].sentence
    assert [stage.work for stage in planned][-1] == 0


def test_refined_coats_get_the_upscaler_and_a_last_small_fit_stays_plain() -> None:
    planned = propose(Size(768, 1024), Size(1690, 2253), upscaler="vitreous")
    assert [stage.coat.upscaler for stage in planned] == ["vitreous", "lanczos"]
    assert planned[-1].coat.refine is None
