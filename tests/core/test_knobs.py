"""What an artist turns has to be seen: every step of a control moves a real picture, by what ships."""

from collections.abc import Callable, Sequence
from itertools import pairwise

import pytest

from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Picture
from enamel.core.pipeline.firing import FiringResult
from enamel.core.schedule import Coat, Refine, Schedule
from tests.pictures import NIGHT_MAIL, distance, part

Fire = Callable[..., FiringResult]
LEVEL = 1 / 255
BRICKS = Box(510, 262, 56, 56)


@pytest.fixture
def refined(fired: Fire) -> Callable[..., Picture]:
    def run(**settings: float) -> Picture:
        refine = Refine("grisaille", **({"strength": 0.5, "seed": 1} | settings))
        return fired(
            Schedule((Coat(factor=2, upscaler="vitreous", refine=refine),)),
            base=part(NIGHT_MAIL, BRICKS),
        ).result

    return run


@pytest.mark.parametrize(
    ("control", "values", "levels"),
    [
        ("strength", (0, 0.15, 0.3, 0.5, 0.65, 0.8, 1), 0.5),
        ("hold", (1, 0.75, 0.5, 0.25, 0), 1),
        ("restore", (0, 0.5, 1), 0.5),
        ("guidance", (1, 1.5, 3), 0.5),
        ("seed", (1, 2), 2),
    ],
)
def test_every_step_of_a_control_is_seen(
    refined: Callable[..., Picture], control: str, values: Sequence[float], levels: float
) -> None:
    results = [refined(**{control: value}) for value in values]
    steps = [distance(one, other) / LEVEL for one, other in pairwise(results)]
    assert min(steps) > levels, steps


@pytest.mark.parametrize(
    ("control", "values"), [("strength", (0.15, 0.3, 0.5, 0.8, 1)), ("restore", (0, 0.5, 1))]
)
def test_more_of_it_goes_further_from_the_enlarged_picture(
    refined: Callable[..., Picture], control: str, values: Sequence[float]
) -> None:
    enlarged = refined(strength=0)
    gone = [distance(refined(**{control: value}), enlarged) for value in values]
    assert gone == sorted(gone)
