"""A firing and sheets of swatches at the same time: neither waits for the other to end."""

import pytest

from enamel.core.geometry import Box
from enamel.core.pipeline.sheets import Axis
from enamel.core.schedule import Coat, Refine, Schedule
from enamel.firings import services as firings
from enamel.firings.models import Firing
from enamel.library.models import Piece
from enamel.swatches import services as swatches
from enamel.swatches.models import Swatch, SwatchSheet
from tests.workers import wait_for, worker

PATIENCE = 240
WINDOW = Box(60, 40, 64, 48)


def schedule(steps: int) -> Schedule:
    return Schedule((Coat(factor=2.0, refine=Refine(steps=steps, tile=(64, 64), overlap=16)),))


def made(sheet: SwatchSheet) -> int:
    return sheet.swatches.filter(state=Swatch.State.DONE).count()


@pytest.mark.django_db(transaction=True)
def test_a_firing_and_two_sheets_all_get_on(piece: Piece) -> None:
    workers = [worker("firings", ENAMEL_THREADS="1"), worker("swatches", ENAMEL_THREADS="1")]
    try:
        firing = firings.enqueue_schedule(piece.base, schedule(120))
        wait_for(lambda: Firing.objects.get(pk=firing.pk).done > 0, PATIENCE, "the firing to begin")
        seeds = [Axis("seed", (1, 2, 3))], [Axis("seed", (4, 5, 6))]
        first, second = (
            swatches.submit_sheet(piece, schedule(4), 0, WINDOW, axes) for axes in seeds
        )
        wait_for(lambda: made(second) > 0, PATIENCE, "the second sheet's first swatch")
        assert made(first) < 3 or made(second) < 3, "the sheets take turns"
        assert Firing.objects.get(pk=firing.pk).state == Firing.State.RUNNING, "swatches don't wait"
        done = Firing.objects.get(pk=firing.pk).done
        wait_for(lambda: made(first) + made(second) == 6, PATIENCE, "all swatches")
        wait_for(
            lambda: (
                Firing.objects.get(pk=firing.pk).done > done
                or Firing.objects.get(pk=firing.pk).state == Firing.State.DONE
            ),
            PATIENCE,
            "the firing to get on meanwhile",
        )
        firings.stop(firing)
        wait_for(lambda: not Firing.objects.get(pk=firing.pk).open, PATIENCE, "the stop")
    finally:
        for process in workers:
            process.terminate()
            process.wait(30)
