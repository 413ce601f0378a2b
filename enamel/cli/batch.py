"""`enamel batch`: one treatment for a folder of pictures. It goes on where it was stopped."""

import argparse
import csv
import hashlib
import json
import shutil
import sys
import time
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from enamel.cli.files import output_options, read_json, read_schedule
from enamel.core.errors import Refusal
from enamel.core.export.file import export
from enamel.core.export.output import FileFormat, Output
from enamel.core.faces.detection import detect_faces
from enamel.core.files import whole_file
from enamel.core.finishing.finished import Finished
from enamel.core.finishing.overview import Overview
from enamel.core.finishing.recipe import Finish
from enamel.core.imaging.canvas import Canvas
from enamel.core.intake.pixels import Limits, examine, read_canvas, taken_for_picture
from enamel.core.intake.provenance import made
from enamel.core.intake.subject import Subject, guessed
from enamel.core.pipeline.firing import fire, materialise
from enamel.core.pipeline.touchup import TouchUp, touch_up
from enamel.core.pipeline.treatment import ForKind, Treatment
from enamel.core.progress import Progress
from enamel.core.schedule import Coat, Refine, Schedule, content_key

TABLE = "pictures.csv"
COLUMNS = ("source", "result", "state", "width", "height", "seconds", "reason")
KEPT = ".enamel"
"""Folder beside the results with what is needed to go on."""
BAR = 24
"""Length of the progress bar in characters."""


def add_batch(command: argparse.ArgumentParser) -> None:
    """Declare the arguments of `enamel batch`."""
    command.add_argument("folder", type=Path, metavar="FOLDER")
    command.add_argument("out", type=Path, metavar="OUT", help="folder for the results")
    command.add_argument("--schedule", type=Path, required=True, metavar="FILE.json")
    command.add_argument(
        "--kind", action="append", default=[], metavar="KIND=FILE.json",
        help=f"another schedule for a kind of picture: {', '.join(Subject)}",
    )  # fmt: skip
    command.add_argument(
        "--faces", type=float, metavar="STRENGTH", help="mend all faces, at this strength"
    )
    command.add_argument("--finish", type=Path, metavar="FILE.json", help="finish each result")
    command.add_argument(
        "--words", action="store_true", help="with each picture's own words and seed"
    )
    command.add_argument("--format", default="png", choices=("png", "tif", "jpg"))
    command.add_argument("--quiet", action="store_true", help="no progress on standard error")
    output_options(command)
    command.set_defaults(run=run_batch)


ARGUMENTS = {"batch": add_batch}


@dataclass
class Outcome:
    """The result of one picture: a row of the table."""

    source: str
    result: str = ""
    state: str = "waiting"
    width: int = 0
    height: int = 0
    seconds: float = 0.0
    reason: str = ""

    @property
    def row(self) -> list[Any]:
        sides = [self.width or "", self.height or ""]
        took = f"{self.seconds:.1f}" if self.seconds else ""
        return [self.source, self.result, self.state, *sides, took, self.reason]


def run_batch(given: argparse.Namespace) -> None:
    treatment = treatment_of(given)
    sources = pictures_in(given.folder)
    given.out.mkdir(parents=True, exist_ok=True)
    outcomes = [
        Outcome(source.name, name)
        for source, name in zip(sources, names_for(sources, given.format), strict=True)
    ]
    began = time.monotonic()
    for number, (source, outcome) in enumerate(zip(sources, outcomes, strict=True)):
        teller = ProgressLine(number, len(sources), outcome.source, began, quiet=given.quiet)
        _one(source, outcome, treatment, given, teller)
        teller.ended(outcome)
        write_table(given.out / TABLE, outcomes)
    failed = [outcome for outcome in outcomes if outcome.state == "failed"]
    if failed:
        first = failed[0]
        raise Refusal(
            f"{len(failed)} of {len(outcomes)} pictures failed, the others are done; {TABLE} says why. "
            f"First {first.source}: {first.reason} The same command tries them again."
        )


def treatment_of(given: argparse.Namespace) -> Treatment:
    """Return the treatment from the command's arguments."""
    rules = []
    for text in given.kind:
        name, _, path = text.partition("=")
        if name not in list(Subject) or not path:
            raise Refusal(
                f"--kind takes KIND=FILE.json with one of {', '.join(Subject)}, not {text}."
            )
        rules.append(ForKind(Subject(name), read_schedule(Path(path))))
    return Treatment(
        schedule=read_schedule(given.schedule),
        kinds=tuple(rules),
        words=given.words,
        faces=given.faces is not None,
        strength=given.faces if given.faces is not None else 0.45,
        finish=Finish.from_json(read_json(given.finish)) if given.finish else None,
    )


def pictures_in(folder: Path) -> list[Path]:
    """Return the picture files of a folder, by name.

    Raises
    ------
    Refusal
        When there is no such folder, or no picture in it.
    """
    if not folder.is_dir():
        raise Refusal(f"There is no folder {folder}.")
    found = sorted(filter(taken_for_picture, folder.iterdir()))
    if not found:
        raise Refusal(f"There is no PNG, JPEG, WebP or TIFF file in {folder}.")
    return found


def names_for(sources: Sequence[Path], ending: str) -> list[str]:
    """Return a name for each result: the stem of its source, with its suffix where two stems are equal."""
    stems = [source.stem for source in sources]
    return [
        f"{source.stem if stems.count(source.stem) == 1 else source.name}.{ending}"
        for source in sources
    ]


def write_table(path: Path, outcomes: Iterable[Outcome]) -> None:
    """Write the table of results."""
    with whole_file(path) as partial, partial.open("w", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(COLUMNS)
        writer.writerows(outcome.row for outcome in outcomes)


def _one(
    source: Path,
    outcome: Outcome,
    treatment: Treatment,
    given: argparse.Namespace,
    teller: "ProgressLine",
) -> None:
    """Treat one picture and return its row. Existing results are kept; errors become the row's message."""
    began = time.monotonic()
    asked = [treatment.to_json(), given.format, given.bits, given.ppi]
    name = content_key(hashlib.sha256(source.read_bytes()).hexdigest(), asked)
    note = given.out / KEPT / f"{outcome.result}.json"
    known = json.loads(note.read_text()) if note.exists() else {}
    if known.get("content_key") == name and (given.out / outcome.result).exists():
        outcome.width, outcome.height = known["size"]
        outcome.state, outcome.seconds = "done", known["seconds"]
        return
    work = given.out / KEPT / name[:32]
    work.mkdir(parents=True, exist_ok=True)
    try:
        result = treated(source, treatment, work, teller)
        with result:
            size = result.size
            into = given.out / outcome.result
            export(result, into, ppi=given.ppi, output=Output(FileFormat.of(into), given.bits))
    except (Refusal, OSError) as error:
        outcome.state, outcome.reason = "failed", str(error)
        return
    outcome.width, outcome.height = size
    outcome.state, outcome.seconds = "done", round(time.monotonic() - began, 1)
    with whole_file(note) as partial:
        partial.write_text(
            json.dumps({"content_key": name, "size": list(size), "seconds": outcome.seconds})
        )
    shutil.rmtree(work)


def treated(source: Path, treatment: Treatment, work: Path, on_progress: "ProgressLine") -> Canvas:
    """Return a picture after a treatment. Called again with the same folder, it goes on where it was
    stopped.
    """
    facts = examine(source, Limits())
    base = read_canvas(source, facts, work / "base.npy")
    how_made = made(dict(facts.text))
    subject = guessed(base, how_made.prompt)
    schedule = treatment.schedule_for(subject, Schedule((Coat(),)), how_made)
    faces = detect_faces(base) if treatment.faces else []
    refiner = _refiner_of(schedule)
    layer = base
    for number, step in enumerate(treatment.steps(schedule, base.size, faces, refiner)):
        folder, into = work / "work", work / f"{number}.npy"
        on_progress.step = number
        if isinstance(step, Coat):
            layer = fire(
                layer, Schedule((step,)), folder, origin=base, on_progress=on_progress
            ).result
        elif isinstance(step, TouchUp):
            touch_up(layer, step, folder, into, base=base, on_progress=on_progress)
            layer = Canvas(into)
        else:
            finished = Finished(layer, step, Overview.of(layer), Overview.of(base))
            layer = materialise(finished, finished.whole, into)
    return layer


def _refiner_of(schedule: Schedule | None) -> str:
    """Return the refiner for faces: that of the coats."""
    used = [coat.refine.model for coat in schedule.laid if coat.refine] if schedule else []
    return used[-1] if used else Refine().model


class ProgressLine:
    """Shows a batch's progress on one line of standard error."""

    def __init__(self, number: int, count: int, name: str, began: float, *, quiet: bool) -> None:
        self.number, self.count, self.name = number, count, name
        self.began, self.quiet = began, quiet
        self.step = 0

    def __call__(self, progress: Progress) -> None:
        self.show(f"{self.name}, step {self.step + 1}: {progress.done} of {progress.total} tiles")

    def ended(self, outcome: Outcome) -> None:
        """Report that a picture has ended."""
        self.number += 1
        words = outcome.state if outcome.state == "done" else f"{outcome.state}: {outcome.reason}"
        self.show(f"{self.name}: {words}", end="\n")

    def show(self, words: str, end: str = "") -> None:
        if self.quiet:
            return
        full = BAR * self.number // self.count
        bar = "█" * full + "·" * (BAR - full)
        line = f"\r\x1b[K{bar} {self.number} of {self.count}  {words}"
        print(line, end=end, file=sys.stderr, flush=True)
