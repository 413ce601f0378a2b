"""Lay a coat on a picture file with the engine."""

import shutil
from collections.abc import Callable
from pathlib import Path

from enamel.core.export.file import export
from enamel.core.export.output import FileFormat, Output
from enamel.core.imaging.canvas import Canvas
from enamel.core.intake.pixels import Limits, examine, read_canvas
from enamel.core.pipeline.firing import fire
from enamel.core.progress import Progress
from enamel.core.schedule import Coat, Schedule

SIXTEEN_BITS = Output(FileFormat.PNG, bits=16, metadata=False)
Render = Callable[
    [Coat, Path, Path | None, Path, Callable[[float], None], Callable[[], bool]], None
]


def render(
    coat: Coat,
    layer: Path,
    base: Path | None,
    into: Path,
    on_progress: Callable[[float], None],
    stopping: Callable[[], bool],
) -> None:
    """Lay a coat on the picture in a file, and write the result as a 16-bit PNG.

    Parameters
    ----------
    base : file of the base, where the coat blends with the base.
    into : the file to write; complete or not there. Working files beside it stay for a retry.
    on_progress : called with the fraction done, 0…1.
    stopping : asked before each tile.

    Raises
    ------
    Refusal, Stopped
    """
    work = into.with_suffix(".work")
    work.mkdir(exist_ok=True)

    def report(progress: Progress) -> None:
        on_progress(progress.done / progress.total)

    with _opened(layer, work) as start:
        origin = _opened(base, work) if base is not None else start
        fired = fire(
            start, Schedule((coat,)), work, on_progress=report, stopping=stopping, origin=origin
        )
        export(fired.result, into, output=SIXTEEN_BITS)
        fired.result.close()
        origin.close()
    shutil.rmtree(work)


def _opened(path: Path, work: Path) -> Canvas:
    limits = Limits(max_bytes=4 * 10**9)
    return read_canvas(path, examine(path, limits), work / f"{path.name}.npy")
