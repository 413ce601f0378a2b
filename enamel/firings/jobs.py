"""Carry out firings and checks, in workers."""

from enamel.firings.checking import check_layer
from enamel.firings.models import Firing, LayerCheck
from enamel.firings.run import Run
from enamel.jobs.running import Stopping, carries_out
from enamel.library.layers import delete_finished_tiles


def _clean_up(firing: Firing) -> None:
    """Delete a firing's previews, and its finished tiles if it was stopped for good."""
    firing.previews.all().delete()
    if Firing.objects.filter(pk=firing.pk, dismissed=True).exists():
        delete_finished_tiles(firing.piece)


@carries_out(Firing, _clean_up)
def fire(firing: Firing, stopping: Stopping) -> None:
    """Carry out a firing, or the rest of one."""
    Run(firing, stopping).run()


@carries_out(LayerCheck)
def check(check: LayerCheck, stopping: Stopping) -> None:
    """Check a layer against its base."""
    check_layer(check.layer)
    check.finish()
