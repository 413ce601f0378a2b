"""Compute tiles and store each as soon as it is finished: the same for all modes."""

from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Executor, Future
from dataclasses import dataclass, field
from typing import TypeVar

from enamel.core.errors import Stopped
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import SampleArray
from enamel.core.progress import OnProgress, Progress, StopSign
from enamel.core.tiling.tilestore import TileStore
from enamel.core.tiling.tiletask import TileResult, TileTask, TileWork

P = TypeVar("P")
AHEAD = 2
"""Tasks handed over before the first result is awaited, so that reading never waits."""


@dataclass
class TileExecutor:
    """Runs tile tasks in a pool of threads, processes or machines; counts and reports them, and stops on
    request.

    Parameters
    ----------
    ahead : tasks handed over before the first result is awaited.
    store : store of finished tiles that is shared with other runs.
    """

    pool: Executor
    coat: int = 0
    on_progress: OnProgress | None = None
    stopping: StopSign | None = None
    ahead: int = AHEAD
    store: TileStore | None = None
    model_seconds: float = field(default=0.0, init=False)
    tasks_run: int = field(default=0, init=False)
    tasks_shared: int = field(default=0, init=False)
    """Tasks whose result another run had left in the store."""
    done: int = field(default=0, init=False)
    total: int = field(default=0, init=False)

    def run(
        self,
        places: Sequence[P],
        finished: Callable[[P], bool],
        task: Callable[[P], TileWork],
        keep: Callable[[P, TileResult], None],
        size: Size,
        *,
        shared: bool = False,
    ) -> None:
        """Compute the places that are not finished yet, in their order.

        Parameters
        ----------
        places : tiles or cores.
        finished : whether a place was finished before.
        task : reads what a place needs; called shortly before it is computed.
        keep : stores a result atomically.
        size : of the picture, for progress.
        shared : whether the tasks are whole passes of a tile, whose results go to the store.

        Raises
        ------
        Stopped
            When asked to stop before all are kept.
        """
        missing = [place for place in places if not finished(place)]
        self.done += len(places) - len(missing)
        left = len(missing)
        running: deque[tuple[P, str]] = deque()
        store = self.store if shared else None

        def settle(place: P, result: TileResult) -> None:
            nonlocal left
            keep(place, result)
            left -= 1
            self._report(size, result.interior, result.preview)

        def tasks() -> Iterator[TileWork]:
            """Yield the tasks that have to run; results found in the store are used instead."""
            for place in missing:
                work = task(place)
                key, known = "", None
                if store is not None and isinstance(work, TileTask):
                    key = work.key()
                    known = store.get(key)
                    if known is not None:
                        self.tasks_shared += 1
                        settle(place, TileResult(work.interior, (), known, 0.0))
                if known is None:
                    running.append((place, key))
                    yield work

        for result in self._results(tasks()):
            place, key = running.popleft()
            if store is not None and key:
                store.put(key, result.preview)
            settle(place, result)
        if left:
            raise Stopped

    def _results(self, tasks: Iterable[TileWork]) -> Iterator[TileResult]:
        """Yield results in order; later tasks are read while earlier ones run. Ends early at a stop."""
        pending: deque[Future[TileResult]] = deque()
        for task in tasks:
            if self.stopping and self.stopping():
                break
            pending.append(self.pool.submit(task))
            if len(pending) > self.ahead:
                yield self._counted(pending.popleft())
        while pending:
            yield self._counted(pending.popleft())

    def _counted(self, future: "Future[TileResult]") -> TileResult:
        result = future.result()
        self.model_seconds += result.model_seconds
        self.tasks_run += 1
        return result

    def _report(self, size: Size, box: Box, samples: SampleArray) -> None:
        self.done += 1
        if self.on_progress:
            visible = box.intersection(Box.whole(size))
            preview = samples[visible.relative_to(box).slices]
            self.on_progress(Progress(self.coat, self.done, self.total, visible, preview))
