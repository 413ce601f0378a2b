"""Editing a piece's schedule: coats are added, copied, moved, switched, removed, replaced."""

from dataclasses import dataclass, replace

from enamel.core.errors import Refusal
from enamel.core.schedule import Coat, Schedule


@dataclass(frozen=True, slots=True)
class Draft:
    """A schedule and the current coat."""

    schedule: Schedule
    number: int

    @property
    def coat(self) -> Coat:
        return self.schedule.coats[self.number]

    def with_coat(self, coat: Coat) -> "Draft":
        """Return the draft with its current coat replaced; it stays on or off as it was."""
        coats = list(self.schedule.coats)
        coats[self.number] = replace(coat, on=self.coat.on)
        return Draft(Schedule(tuple(coats)), self.number)

    def add(self) -> "Draft":
        """Return the draft with a new coat after the current one, of twice the size and otherwise the
        same settings.
        """
        return self._inserted(replace(self.coat, factor=2.0, size=None, on=True))

    def copy(self) -> "Draft":
        """Return the draft with a copy of the current coat after it."""
        return self._inserted(self.coat)

    def _inserted(self, coat: Coat) -> "Draft":
        coats = list(self.schedule.coats)
        coats.insert(self.number + 1, coat)
        return Draft(Schedule(tuple(coats)), self.number + 1)

    def earlier(self) -> "Draft":
        return self._moved(-1)

    def later(self) -> "Draft":
        return self._moved(1)

    def _moved(self, by: int) -> "Draft":
        place = min(len(self.schedule.coats) - 1, max(0, self.number + by))
        coats = list(self.schedule.coats)
        coats.insert(place, coats.pop(self.number))
        return Draft(Schedule(tuple(coats)), place)

    def switch(self) -> "Draft":
        """Return the draft with its current coat switched on or off. At least one coat stays on."""
        coats = list(self.schedule.coats)
        coats[self.number] = replace(self.coat, on=not self.coat.on)
        if not any(coat.on for coat in coats):
            raise Refusal("This is the only coat that is on; a schedule needs one.")
        return Draft(Schedule(tuple(coats)), self.number)

    def remove(self) -> "Draft":
        """Return the draft without its current coat. At least one coat stays."""
        coats = list(self.schedule.coats)
        if len(coats) == 1:
            raise Refusal("This is the only coat; a schedule needs one.")
        del coats[self.number]
        if not any(coat.on for coat in coats):
            raise Refusal("The other coats are off; switch one on first.")
        return Draft(Schedule(tuple(coats)), min(self.number, len(coats) - 1))

    def alone(self) -> Schedule:
        """Return a schedule of the current coat alone."""
        return Schedule((replace(self.coat, on=True),))

    def seeds(self, count: int) -> list[Schedule]:
        """Return schedules of the current coat alone, one for its seed and each of those that follow it."""
        refine = self.coat.refinement
        if refine is None:
            raise Refusal("This coat refines nothing, so seeds make no difference.")
        return [
            Schedule((replace(self.coat, on=True, refine=replace(refine, seed=refine.seed + n)),))
            for n in range(count)
        ]

    def onward(self) -> Schedule:
        """Return a schedule of the current coat and those after it."""
        return Schedule((replace(self.coat, on=True), *self.schedule.coats[self.number + 1 :]))


EDITS = ("add", "copy", "earlier", "later", "switch", "remove")
"""Methods of `Draft` that buttons may call."""
