"""Downloads the pictures for training: files inside Debian's packages.

`python -m training.sources` downloads the packages (never installs them), unpacks them under
``training/cache`` and stores every usable picture as an array. Photographs are halved first, to remove the
softness of cameras and compression. Training and test are split by source file, so that no part of a test
picture is trained on.
"""

import hashlib
import re
import subprocess
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import PIL.Image
import pyvips

CACHE = Path(__file__).parent / "cache"
TEST_SHARE = 0.12
BUNDLES = {".pk3", ".wz", ".zip"}
"""Archives inside packages that hold pictures."""
GROUND = 128
"""Grey behind pictures with transparency; on white, networks would learn outlines."""
LONGEST = 2400
"""Longer pictures are cropped to this, around the middle."""
SMALLEST = 160


@dataclass(frozen=True)
class Package:
    """A package, what its pictures are, and which of its files count."""

    name: str
    kind: str
    """photo, painting, texture or drawing."""
    wanted: str
    halved: bool


PACKAGES = (
    Package("plasma-workspace-wallpapers", "photo", r"images/.*\.(jpg|png)$", True),
    Package("gnome-backgrounds", "photo", r"\.(jpg|jpeg|png|webp|jxl)$", True),
    Package("mate-backgrounds", "photo", r"\.(jpg|jpeg|png)$", True),
    Package("lomiri-wallpapers-16.04", "photo", r"\.(jpg|jpeg|png)$", True),
    Package("lomiri-wallpapers-20.04", "photo", r"\.(jpg|jpeg|png)$", True),
    Package("ukui-wallpapers", "photo", r"\.(jpg|jpeg|png)$", True),
    Package("endless-sky-data", "photo", r"images/land/.*\.jpg$", True),
    Package("stellarium-data", "photo", r"landscapes/.*\.(jpg|png)$", True),
    Package("tuxpaint-stamps-default", "photo",
            r"(animals|food|plants|clothes|household|people|vehicles|sports|naturalforces)/"
            r"(?!.*cartoon).*\.png$", False),
    Package("wesnoth-1.16-data", "painting", r"(portraits|story)/.*\.(png|jpg|webp)$", False),
    Package("freeorion-data", "painting", r"art/.*\.(png|jpg)$", False),
    Package("naev-data", "painting", r"gfx/(portraits|loading|planet/exterior)/.*\.(webp|png|jpg)$", False),
    Package("flare-game", "painting", r"(portraits|books|backgrounds)/.*\.(png|jpg)$", False),
    Package("supertuxkart-data", "texture", r"textures?/.*\.(jpg|jpeg|png)$", False),
    Package("nexuiz-textures", "texture", r"\.(jpg|jpeg|png|tga)$", False),
    Package("openarena-081-textures", "texture", r"\.(jpg|jpeg|png|tga)$", False),
    Package("openarena-088-data", "texture", r"textures/.*\.(jpg|jpeg|png|tga)$", False),
    Package("ufoai-textures", "texture", r"\.(jpg|jpeg|png|tga|webp)$", False),
    Package("colobot-common-textures", "texture", r"\.(jpg|jpeg|png)$", False),
    Package("torcs-data", "texture", r"tracks/.*\.(jpg|jpeg|png)$", False),
    Package("megaglest-data", "texture", r"(tilesets|textures)/.*\.(jpg|png|tga|bmp)$", False),
    Package("warzone2100-data", "texture", r"texpages/.*\.png$", False),
    Package("redeclipse-data", "texture",
            r"data/(?!maps|vanities|crosshairs|weapons|particles|projectiles|actors|props|misc|fonts|skyboxes|"
            r"textures|caustics)[a-z0-9]+/.*(?<![ns])(?<!_[gz])(?<!_n2)(?<!_add)\.(jpg|png)$", False),
    Package("trigger-rally-data", "texture", r"textures/(?!CodriverSigns).*\.(jpg|png)$", False),
    Package("extremetuxracer-data", "texture", r"(terrains|env|textures)/.*\.(jpg|png)$", False),
    Package("lugaru-data", "texture", r"Textures/.*\.(jpg|png)$", False),
    Package("openclipart-svg", "drawing", r"\.svg$", False),
    Package("gcompris-qt-data", "drawing", r"\.svg$", False),
    Package("papirus-icon-theme", "drawing",
            r"Papirus/64x64/(apps|places|devices|mimetypes)/.*\.svg$", False),
)  # fmt: skip
SKIPPED = re.compile(
    r"(norm|_nm|gloss|_bump|_height|specular|_local|screenshot|thumb|preview)", re.I
)
DRAWINGS = 1900
"""Drawings taken of a package at most, every so-many-th of the collection."""
DRAWN_SIDE = 768


def unpack(package: Package) -> Path:
    """Folder with a package's files, downloaded at the first call."""
    folder = CACHE / "packages" / package.name
    if not folder.exists():
        download = CACHE / "downloads"
        download.mkdir(parents=True, exist_ok=True)
        subprocess.run(["apt-get", "download", package.name], cwd=download, check=True)
        (archive,) = download.glob(f"{package.name}_*.deb")
        folder.parent.mkdir(parents=True, exist_ok=True)
        subprocess.run(["dpkg-deb", "-x", str(archive), str(folder)], check=True)
        archive.unlink()
    for bundle in [path for path in folder.rglob("*") if path.suffix in BUNDLES]:
        with zipfile.ZipFile(bundle) as opened:
            opened.extractall(bundle.parent)
        bundle.unlink()
    return folder


def is_test(path: str) -> bool:
    """Whether a source file belongs to the test split, by the hash of its path in the package.

    What tells only versions of one picture apart (its size, day or night, a number) is left out first.
    """
    subject = re.sub(r"(\d+x\d+|_[dlab](?=\.)|\d+[a-z]?(?=\.))|\.\w+$", "", path)
    return int(hashlib.sha256(subject.encode()).hexdigest()[:8], 16) / 2**32 < TEST_SHARE


def files(package: Package) -> Iterator[tuple[str, Path]]:
    """The package's usable files with their path inside it."""
    folder = unpack(package)
    found = [
        (str(path.relative_to(folder)), path)
        for path in sorted(folder.rglob("*"))
        if path.is_file() and not path.is_symlink()
    ]
    chosen = [
        (name, path)
        for name, path in found
        if re.search(package.wanted, name, re.I) and not SKIPPED.search(name)
    ]
    step = max(1, len(chosen) // DRAWINGS) if package.kind == "drawing" else 1
    yield from chosen[::step]


def decode(path: Path, package: Package) -> "np.ndarray | None":
    """Pixels of a file, (height, width, 3) uint8, or None when it is of no use."""
    try:
        if package.kind == "drawing":
            image = pyvips.Image.thumbnail(str(path), DRAWN_SIDE, height=DRAWN_SIDE)
        else:
            if path.suffix.lower() == ".tga":  # which libvips alone does not read
                image = pyvips.Image.new_from_array(np.asarray(PIL.Image.open(path).convert("RGB")))
            else:
                image = pyvips.Image.new_from_file(str(path))
            least = SMALLEST * (2 if package.halved else 1)
            if image.width * image.height > 60e6 or min(image.width, image.height) < least:
                return None
            if package.halved:
                image = image.resize(0.5, kernel="lanczos3")
        if image.hasalpha():
            ground = 255 if package.kind == "drawing" else GROUND
            image = image.flatten(background=[ground] * 3)
        image = image.colourspace("srgb").cast("uchar")
        if image.bands != 3:
            return None
        left = max(0, (image.width - LONGEST) // 2)
        top = max(0, (image.height - LONGEST) // 2)
        image = image.crop(left, top, min(LONGEST, image.width), min(LONGEST, image.height))
        pixels = np.frombuffer(image.write_to_memory(), np.uint8)
        pixels = pixels.reshape(image.height, image.width, 3)
    except (pyvips.Error, OSError):
        return None
    if min(pixels.shape[:2]) < SMALLEST or pixels.std() < 4:
        return None
    return pixels


def prepare() -> None:
    """Store every usable picture as ``cache/arrays/SPLIT/KIND/NAME.npy``."""
    for package in PACKAGES:
        kept = 0
        for name, path in files(package):
            split = "test" if is_test(name) else "train"
            flat = f"{package.name}--{re.sub(r'[^A-Za-z0-9.]+', '_', name)[-120:]}.npy"
            target = CACHE / "arrays" / split / package.kind / flat
            if target.exists():
                kept += 1
                continue
            pixels = decode(path, package)
            if pixels is None:
                continue
            target.parent.mkdir(parents=True, exist_ok=True)
            np.save(target, pixels)
            kept += 1
        print(f"{package.name}: {kept} pictures", flush=True)


if __name__ == "__main__":
    prepare()
