"""Faces to learn from, cut out of the painted pictures: `python -m training.heads` after `training.sources`.

Each face that is sure goes with its hair and collar into ``cache/arrays/SPLIT/face``, at its own size and
halved as long as it stays large enough, so that a network meets eyes and mouths at every size. The split
is the pictures' own, so no part of a test picture is learnt from.
"""

from collections.abc import Iterator

import numpy as np
import PIL.Image

from enamel.core.base.faces import find_faces
from enamel.core.geometry import Box, Size
from enamel.core.picture.canvas import Pixels
from training.sources import CACHE

SURE = 60
"""Confidence, of 100, from which a find is taken; what is doubtful would teach fists and buckles."""
AROUND = 2.4
"""Side of the square that is cut out, as a multiple of the face's height."""
SMALLEST, LARGEST = 48, 480
"""Heights of faces that are kept, px from brow to chin."""
KINDS = ("painting", "photo")


def cut_out(pixels: np.ndarray) -> Iterator[np.ndarray]:
    """The heads in a picture, (side, side, 3) uint8, each at several sizes."""
    height, width = pixels.shape[:2]
    for face in find_faces(Pixels(pixels.astype(np.uint16) * 257)):
        if face.score < SURE or face.box.height < SMALLEST:
            continue
        side = round(face.box.height * AROUND)
        left = face.box.x + (face.box.width - side) // 2
        top = face.box.y + (face.box.height - side) // 2
        box = Box(left, top, side, side).intersection(Box.whole(Size(width, height)))
        head = pixels[box.slices]
        factor = min(1.0, LARGEST / face.box.height)
        while face.box.height * factor >= SMALLEST:
            size = (round(head.shape[1] * factor), round(head.shape[0] * factor))
            yield np.asarray(PIL.Image.fromarray(head).resize(size, PIL.Image.Resampling.LANCZOS))
            factor /= 2


def prepare() -> None:
    for split in ("train", "test"):
        folder = CACHE / "arrays" / split / "face"
        folder.mkdir(parents=True, exist_ok=True)
        looked_at = folder / "looked-at.txt"
        known = set(looked_at.read_text().split()) if looked_at.exists() else set()
        kept = 0
        for kind in KINDS:
            for path in sorted((CACHE / "arrays" / split / kind).glob("*.npy")):
                if path.name in known:
                    continue
                for number, head in enumerate(cut_out(np.load(path))):
                    np.save(folder / f"{path.stem}--{number}.npy", head)
                    kept += 1
                with looked_at.open("a") as file:
                    file.write(f"{path.name}\n")
        print(f"{split}: {kept} more heads", flush=True)


if __name__ == "__main__":
    prepare()
