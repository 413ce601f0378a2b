"""Stores heads for training: `python -m training.heads` after `training.sources`.

Heads are cropped from the painted pictures and drawn (`training.people`), because painted faces are small.
They are stored with hair and collar under ``cache/arrays/SPLIT/face``, at their own size and repeatedly
halved, so that a network sees eyes and mouths at every size. Faces belong to the split of their picture.
Their boxes are kept in ``training/runs/faces.json``, because detection takes most of the time.
"""

import json
from collections.abc import Iterator

import numpy as np
import PIL.Image

from enamel.core.faces.detection import detect_faces
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Pixels
from training import people
from training.sources import CACHE
from training.train import RUNS

SURE = 60
"""Least confidence, of 100, of faces that are used; less certain ones are often fists and buckles."""
AROUND = 2.4
"""Side of the square that is cut out, as a multiple of the face's height."""
SMALLEST, LARGEST = 48, 480
"""Heights of faces that are kept, px from brow to chin."""
KINDS = ("painting", "photo")
AMONG = "portraits"
"""Part of the paths of pictures that show people: in others, many of the faces detected were planets, dogs
and lamps."""
SEEN = 400
"""Longest side in px of the pictures searched for faces: small faces are not wanted."""
CLOSE = "close"
"""Prefix of files that show features only, not whole faces."""
FOUND = RUNS / "faces.json"


def find_faces(pixels: np.ndarray) -> list[tuple[int, int, int, int]]:
    """The sure faces of a picture: left, top, width, height in px."""
    size = Size(pixels.shape[1], pixels.shape[0])
    scale = min(1.0, SEEN / max(size))
    small = np.asarray(PIL.Image.fromarray(pixels).resize(size.scaled(scale)))
    faces = [
        face for face in detect_faces(Pixels(small.astype(np.uint16) * 257)) if face.score >= SURE
    ]
    boxes = [face.box.scaled(1 / scale) for face in faces]
    return [(box.x, box.y, *box.size) for box in boxes if box.height >= SMALLEST]


def crop_head(pixels: np.ndarray, face: Box) -> Iterator[np.ndarray]:
    """A head, (side, side, 3) uint8, at several sizes."""
    height, width = pixels.shape[:2]
    side = round(face.height * AROUND)
    left, top = face.x + (face.width - side) // 2, face.y + (face.height - side) // 2
    box = Box(left, top, side, side).intersection(Box.whole(Size(width, height)))
    return resize_by_halves(pixels[box.slices], face.height)


def resize_by_halves(
    head: np.ndarray, face: int, smallest: int = SMALLEST, largest: int = LARGEST
) -> Iterator[np.ndarray]:
    """A head, and the same repeatedly halved while its face is at least ``smallest`` px tall."""
    factor = min(1.0, largest / face)
    while face * factor >= smallest:
        size = (round(head.shape[1] * factor), round(head.shape[0] * factor))
        yield np.asarray(PIL.Image.fromarray(head).resize(size, PIL.Image.Resampling.LANCZOS))
        factor /= 2


def drawn_heads(split: str) -> Iterator[tuple[str, np.ndarray]]:
    """The drawn heads of a split at several sizes, with names; features only where they are larger than in
    whole heads. Each takes half a minute to draw and is saved."""
    folder = CACHE / "drawn"
    folder.mkdir(exist_ok=True)
    kinds = (("drawn", people.FACE, SMALLEST), (CLOSE, people.FACE * people.CLOSER, people.FACE))
    for number in people.people_of(split):
        for kind, face, smallest in kinds:
            file = folder / f"{kind}-{number}.npy"
            if not file.exists():
                np.save(file, people.draw_person(number, close=kind == CLOSE))
            for size, head in enumerate(resize_by_halves(np.load(file), face, smallest, face)):
                yield f"{kind}-{number}--{size}", head


def to_json(known: dict[str, list[tuple[int, int, int, int]]]) -> str:
    """As JSON with a line for each picture."""
    lines = [f"{json.dumps(name)}: {json.dumps(faces)}" for name, faces in sorted(known.items())]
    return "{\n" + ",\n".join(lines) + "\n}\n"


def prepare() -> None:
    known = json.loads(FOUND.read_text()) if FOUND.exists() else {}
    for split in ("test", "train"):
        folder = CACHE / "arrays" / split / "face"
        folder.mkdir(parents=True, exist_ok=True)
        for old in folder.glob("*.npy"):
            old.unlink()
        kept = 0
        for kind in KINDS:
            for path in sorted((CACHE / "arrays" / split / kind).glob(f"*{AMONG}*.npy")):
                pixels = np.load(path)
                name = f"{split}/{kind}/{path.stem}"
                if name not in known:
                    known[name] = find_faces(pixels)
                    FOUND.write_text(to_json(known))
                heads = [head for face in known[name] for head in crop_head(pixels, Box(*face))]
                for number, head in enumerate(heads):
                    np.save(folder / f"{path.stem}--{number}.npy", head)
                kept += len(heads)
        for name, head in drawn_heads(split):
            np.save(folder / f"{name}.npy", head)
            kept += 1
        print(f"{split}: {kept} heads")


if __name__ == "__main__":
    prepare()
