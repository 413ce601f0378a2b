"""Refining real pictures, with as little work as shows the point."""

from collections.abc import Callable, Iterator
from concurrent.futures import Executor, ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pytest

from enamel.core.diffusion.samplers import Sampler
from enamel.core.geometry import Box
from enamel.core.pipeline.firing import FiringResult, fire
from enamel.core.schedule import Mode, Schedule
from tests.pictures import portrait

MODES = list(Mode)
SAMPLERS = list(Sampler)


@pytest.fixture(scope="session")
def pool() -> Iterator[Executor]:
    with ThreadPoolExecutor(1) as executor:
        yield executor


@pytest.fixture
def fired(tmp_path: Path) -> Iterator[Callable[..., FiringResult]]:
    """Fires on the portrait, each call in a separate folder unless told otherwise."""
    made: list[FiringResult] = []

    def run(
        schedule: Schedule, window: Box | None = None, work: Path | None = None, **more: Any
    ) -> FiringResult:
        folder = work or tmp_path / f"work-{len(made)}"
        result = fire(more.pop("base", portrait()), schedule, folder, window=window, **more)
        made.append(result)
        return result

    yield run
    for result in made:
        for layer in result.layers:
            layer.canvas.close()
