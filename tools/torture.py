"""Torture by machine: `python -m tools.torture pictures [--count 10000] [--seed 1] [--keep FOLDER]`.

`pictures` mutates small pictures of every kind that can be imported, and reads each as an import does. Every
one has to be read or refused in a sentence. What crashes, hangs, raises anything else or takes too much
memory is reported with its number, kept in a folder, and made again by the same seed.
"""

import argparse
import multiprocessing
import os
import random
import resource
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from multiprocessing.connection import Connection
from multiprocessing.context import SpawnProcess
from pathlib import Path

import PIL.Image

from enamel.core.errors import Refusal
from enamel.core.export.file import export
from enamel.core.export.output import FileFormat, Output
from enamel.core.intake.pixels import Limits, examine, read_canvas

BASE = Path(__file__).parents[1] / "demo" / "pictures" / "stationmaster.png"
SIDE = 64
KINDS = (
    Output(FileFormat.PNG), Output(FileFormat.PNG, bits=16), Output(FileFormat.TIFF, bits=16),
    Output(FileFormat.TIFF, tiled=True), Output(FileFormat.JPEG), Output(FileFormat.WEBP),
)  # fmt: skip
SAYS = {"dc:title": "Stationmaster", "dc:description": "A portrait on the platform"}
HANG_SECONDS = 30.0
MOST_MB = 1500
"""Most memory that a process may reach while it reads a picture."""
BATCH = 500
"""Pictures for one process."""
LIMITS = Limits(max_bytes=200_000_000, max_megapixels=300)


def corpus(folder: Path) -> list[Path]:
    """Write a small picture as every kind, with colour profile, XMP and EXIF; return the paths."""
    with PIL.Image.open(BASE) as image:
        small = folder / "small.png"
        image.convert("RGB").crop((300, 300, 300 + SIDE, 300 + SIDE)).save(small)
    facts = examine(small, LIMITS)
    made = []
    with read_canvas(small, facts, folder / "small.npy") as canvas:
        for number, kind in enumerate(KINDS):
            path = folder / f"{number}{kind.file.suffix}"
            export(canvas, path, output=kind, says=SAYS)
            made.append(path)
    with PIL.Image.open(small) as image:
        exif = image.getexif()
        exif[274] = 6  # EXIF 2.32, Orientation: turned by 90°
        exif[270] = "A portrait on the platform"
        made.append(folder / "turned.jpg")
        image.save(made[-1], exif=exif, quality=90)
    return made


def flip(data: bytearray, rng: random.Random) -> None:
    for _ in range(rng.choice((1, 1, 2, 4, 16))):
        data[rng.randrange(len(data))] = rng.randrange(256)


def flip_header(data: bytearray, rng: random.Random) -> None:
    for _ in range(rng.choice((1, 2, 4))):
        data[rng.randrange(min(400, len(data)))] = rng.choice((0, 1, 0x7F, 0x80, 0xFF))


def cut(data: bytearray, rng: random.Random) -> None:
    del data[rng.randrange(1, len(data)) :]


def remove(data: bytearray, rng: random.Random) -> None:
    start = rng.randrange(len(data))
    del data[start : start + rng.randrange(1, 64)]


def repeat(data: bytearray, rng: random.Random) -> None:
    start = rng.randrange(len(data))
    data[start:start] = data[start : start + rng.randrange(1, 2000)]


def enlarge_number(data: bytearray, rng: random.Random) -> None:
    """Write a large 32-bit number somewhere: a length, a size, an offset."""
    start = rng.randrange(max(1, min(1000, len(data) - 4)))
    data[start : start + 4] = rng.choice((2**31 - 1, 2**32 - 1, 2**16, 10**6)).to_bytes(
        4, rng.choice(("big", "little"))
    )


MUTATIONS: tuple[Callable[[bytearray, random.Random], None], ...] = (
    flip, flip_header, cut, remove, repeat, enlarge_number,
)  # fmt: skip


def mutated(originals: list[bytes], seed: int, number: int) -> tuple[int, bytes]:
    """Return which original the picture of that number was made from, and its bytes."""
    rng = random.Random(f"{seed}-{number}")
    place = rng.randrange(len(originals))
    data = bytearray(originals[place])
    for _ in range(rng.choice((1, 1, 2, 3))):
        if len(data) > 8:
            rng.choice(MUTATIONS)(data, rng)
    return place, bytes(data)


def read(path: Path, into: Path) -> str:
    """Read a picture as an import does; return the result: read, refused, or the error."""
    try:
        read_canvas(path, examine(path, LIMITS), into).close()
    except Refusal as refusal:
        return "refused" if str(refusal).strip() else "refused without a sentence"
    except Exception as error:  # whatever it is, it is what is looked for
        return f"{type(error).__name__}: {error}"[:200]
    finally:
        into.unlink(missing_ok=True)
    return "read"


def read_many(
    paths: list[Path], seed: int, numbers: range, folder: Path, report: Connection
) -> None:
    """Read mutated pictures one by one, and report each number before it is read and its result after."""
    os.dup2(os.open(os.devnull, os.O_WRONLY), 2)  # decoders write their own complaints there
    originals = [path.read_bytes() for path in paths]
    for number in numbers:
        place, data = mutated(originals, seed, number)
        path = folder / f"{number}{paths[place].suffix}"
        path.write_bytes(data)
        report.send((number, ""))
        result = read(path, folder / f"{number}.npy")
        path.unlink()
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
        report.send((number, result if memory < MOST_MB else f"{memory} MB of memory"))
        if memory >= MOST_MB:
            return


@dataclass
class Results:
    """How many pictures were read and refused, and the faults."""

    counts: Counter[str] = field(default_factory=Counter)
    faults: dict[int, str] = field(default_factory=dict)
    slowest: float = 0.0

    def add(self, number: int, result: str, seconds: float) -> None:
        self.slowest = max(self.slowest, seconds)
        self.counts[result if result in ("read", "refused") else "fault"] += 1
        if result not in ("read", "refused"):
            self.faults[number] = result
            print(f"{number}: {result}", flush=True)


def pictures(count: int, seed: int, keep: Path | None) -> Results:
    """Read mutated pictures in processes of `BATCH` each; a process that dies or hangs is a fault."""
    results = Results()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "originals").mkdir()
        paths = corpus(folder / "originals")
        first = 0
        while first < count:
            first = _batch(paths, seed, range(first, min(first + BATCH, count)), folder, results)
        if keep is not None and results.faults:
            keep.mkdir(parents=True, exist_ok=True)
            originals = [path.read_bytes() for path in paths]
            for number in results.faults:
                place, data = mutated(originals, seed, number)
                (keep / f"{seed}-{number}{paths[place].suffix}").write_bytes(data)
    return results


def _batch(paths: list[Path], seed: int, numbers: range, folder: Path, results: Results) -> int:
    """Read these numbers in one process, until its end or the first fault; return the next number."""
    context = multiprocessing.get_context("spawn")
    ours, theirs = context.Pipe(duplex=False)
    process: SpawnProcess = context.Process(
        target=read_many, args=(paths, seed, numbers, folder, theirs), daemon=True
    )
    process.start()
    theirs.close()
    number, began = numbers.start, time.monotonic()
    try:
        while ours.poll(HANG_SECONDS):
            number, result = ours.recv()
            if result:
                results.add(number, result, time.monotonic() - began)
                if number == numbers[-1]:
                    return numbers.stop
            began = time.monotonic()
        results.add(number, f"hangs for {HANG_SECONDS:.0f} s", HANG_SECONDS)
    except EOFError:
        process.join()
        if number not in results.faults:
            results.add(number, f"the process died with {process.exitcode}", 0.0)
    finally:
        process.kill()
        process.join()
    return number + 1


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0] if __doc__ else "")
    parser.add_argument("what", choices=["pictures"])
    parser.add_argument("--count", type=int, default=10_000)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--keep", type=Path, help="folder for pictures that are faults")
    given = parser.parse_args()
    print(f"seed {given.seed}")
    began = time.monotonic()
    results = pictures(given.count, given.seed, given.keep)
    print(
        f"{given.count} pictures in {time.monotonic() - began:.0f} s: "
        f"{results.counts['read']} read, {results.counts['refused']} refused, "
        f"{results.counts['fault']} faults; the slowest took {results.slowest:.1f} s"
    )
    sys.exit(1 if results.faults else 0)


if __name__ == "__main__":
    main()
