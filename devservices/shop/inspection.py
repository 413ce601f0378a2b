"""Inspect a file as a shop does: boxes, resolution, bleed, profile, ink, fonts, transparency, metadata."""

import io
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import pikepdf
import PIL.Image
import PIL.ImageChops
import PIL.ImageCms
import pyvips

from devservices.shop.papers import Paper

PIL.Image.MAX_IMAGE_PIXELS = None
POINTS_PER_MM = 72 / 25.4
MM_PER_INCH = 25.4
LOOKED_AT = 1600
"""Longest side, in px, of the copy that ink and proof are computed from."""
LARGEST_DECODED = 500_000_000
"""Most bytes of samples of a picture within a PDF; larger ones are not decoded."""
SLACK_MM = 0.1
PICTURES = {"TIFF": "TIFF", "JPEG": "JPEG", "PNG": "PNG"}


@dataclass
class Inspection:
    """What was found in a file, and why it can't be printed, where it can't."""

    facts: dict[str, Any] = field(default_factory=dict)
    reasons: list[str] = field(default_factory=list)
    width_mm: float = 0.0
    height_mm: float = 0.0
    picture: PIL.Image.Image | None = None
    """A small copy in sRGB."""

    def require(self, fits: bool, reason: str) -> None:
        if not fits:
            self.reasons.append(reason)


def inspect(path: Path, paper: Paper) -> Inspection:
    """Inspect a file that is to be printed on a paper."""
    found = Inspection()
    beginning = path.open("rb").read(5)
    try:
        if beginning == b"%PDF-":
            _pdf(path, paper, found)
        else:
            _picture(path, paper, found)
    except (
        pikepdf.PdfError,
        PIL.UnidentifiedImageError,
        pyvips.Error,
        OSError,
        ValueError,
    ) as error:
        found.reasons.append(f"The file can't be read: {str(error).strip().splitlines()[0][:200]}.")
    if found.width_mm:
        narrow = min(found.width_mm, found.height_mm)
        found.require(
            narrow <= paper.widest_mm,
            f"{narrow:.0f} mm is wider than {paper.title} comes: {paper.widest_mm:.0f} mm.",
        )
    return found


# PDF ------------------------------------------------------------------------------------------


def _pdf(path: Path, paper: Paper, found: Inspection) -> None:
    with pikepdf.open(path) as pdf:
        found.facts |= {"kind": f"PDF {pdf.pdf_version}", "pages": len(pdf.pages)}
        found.facts["title"] = (
            str(pdf.docinfo.get("/Title", "")) if pdf.trailer.get("/Info") else ""
        )
        intents = [str(one.get("/OutputConditionIdentifier", "?"))
                   for one in pdf.Root.get("/OutputIntents", [])]  # fmt: skip
        found.facts["output_intent"] = intents[0] if intents else None
        intent = next(
            (one.DestOutputProfile.read_bytes() for one in pdf.Root.get("/OutputIntents", [])
             if "/DestOutputProfile" in one), None,
        )  # fmt: skip
        for number, page in enumerate(pdf.pages, 1):
            where = f"Page {number}: " if len(pdf.pages) > 1 else ""
            _page(page, paper, found, where, intent)


def _page(
    page: pikepdf.Page, paper: Paper, found: Inspection, where: str, intent: bytes | None
) -> None:
    trim, bleed = _box(page.trimbox), _box(page.bleedbox)
    if not found.width_mm:
        found.width_mm, found.height_mm = trim[2] - trim[0], trim[3] - trim[1]
        found.facts["trim_mm"] = [round(found.width_mm, 1), round(found.height_mm, 1)]
    found.require("/TrimBox" in page, f"{where}it has no TrimBox, so we can't tell where to cut.")
    beyond = min(trim[0] - bleed[0], trim[1] - bleed[1], bleed[2] - trim[2], bleed[3] - trim[3])
    if len(found.facts.get("bleed_mm", [])) < 40:
        found.facts.setdefault("bleed_mm", []).append(round(beyond, 2))
    found.require(
        beyond >= paper.bleed_mm - SLACK_MM,
        f"{where}it has {max(0.0, beyond):.1f} mm of bleed; on {paper.title} we need {paper.bleed_mm:g} mm "
        "on every side.",
    )
    resources = page.resources
    for name, font in dict(resources.get("/Font", {})).items():
        descriptor: Any = font.get("/FontDescriptor", {})
        whole = any(f"/FontFile{kind}" in descriptor for kind in ("", "2", "3"))
        found.require(whole, f"{where}the font {name} is not in the file.")
    states = dict(resources.get("/ExtGState", {})).values()
    clear = any(float(state.get(key, 1)) < 1 for state in states for key in ("/ca", "/CA"))
    pictures = dict(_placed(page))
    masked = any("/SMask" in one for one, _ in pictures.values())
    found.require(not clear and not masked, f"{where}it holds transparency; flatten it.")
    for image, (width_pt, height_pt) in pictures.values():
        if image.get("/ImageMask"):
            continue
        ppi = min(int(image.Width) / width_pt, int(image.Height) / height_pt) * 72
        found.facts.setdefault("ppi", []).append(round(ppi, 1))
        found.require(
            ppi >= paper.least_ppi - 0.5,
            f"{where}its picture has {ppi:.0f} ppi in print; on {paper.title} we need "
            f"{paper.least_ppi:.0f} ppi.",
        )
        space = image.get("/ColorSpace")
        own = isinstance(space, pikepdf.Array) and str(space[0]) == "/ICCBased"
        profile = space[1].read_bytes() if own else intent
        found.require(profile is not None,
                      f"{where}its colours have no profile and there is no output intent.")  # fmt: skip
        if found.picture is None:
            _look(_decoded(image), paper, found, where, profile)


def _box(box: Any) -> tuple[float, float, float, float]:
    """Return a box in mm: left, bottom, right, top."""
    left, bottom, right, top = (float(side) / POINTS_PER_MM for side in box)
    return left, bottom, right, top


def _placed(page: pikepdf.Page) -> Iterator[tuple[str, tuple[Any, tuple[float, float]]]]:
    """Yield the pictures of a page with their width and height on it, in points."""
    objects = dict(page.resources.get("/XObject", {}))
    matrix = pikepdf.Matrix()
    kept: list[pikepdf.Matrix] = []
    for step in pikepdf.parse_content_stream(page):
        operands: Any = step.operands
        match str(step.operator):
            case "q":
                kept.append(matrix)
            case "Q":
                matrix = kept.pop()
            case "cm":
                matrix = pikepdf.Matrix(*(float(one) for one in operands)) @ matrix
            case "Do":
                name = str(operands[0])
                image = objects.get(name)
                if image is not None and str(image.get("/Subtype")) == "/Image":
                    width = (matrix.a**2 + matrix.b**2) ** 0.5
                    height = (matrix.c**2 + matrix.d**2) ** 0.5
                    yield name, (image, (width, height))


def _decoded(image: Any) -> PIL.Image.Image | None:
    """Return a picture within a PDF, reduced where its packing allows; None where it is too large to
    decode.
    """
    if str(image.get("/Filter")) == "/DCTDecode":
        opened: PIL.Image.Image = PIL.Image.open(io.BytesIO(image.read_raw_bytes()))
        opened.draft(opened.mode, (LOOKED_AT, LOOKED_AT))
        if opened.mode == "CMYK" and "/Decode" not in image and _turned(opened):
            opened = PIL.ImageChops.invert(opened)
        return opened
    if int(image.Width) * int(image.Height) * 4 > LARGEST_DECODED:
        return None
    return pikepdf.PdfImage(image).as_pil_image()


def _turned(jpeg: PIL.Image.Image) -> bool:
    """Return whether a JPEG has the segment (APP14) by which readers take its CMYK as inverted."""
    return any(str(name).endswith("_transform") for name in jpeg.info)


# pictures -------------------------------------------------------------------------------------


def _picture(path: Path, paper: Paper, found: Inspection) -> None:
    with PIL.Image.open(path, formats=list(PICTURES)) as opened:
        kind, size, mode = opened.format, opened.size, opened.mode
        profile = opened.info.get("icc_profile")
        ppi = min(float(one) for one in opened.info.get("dpi", (0, 0)))
    found.facts |= {"kind": kind, "size_px": list(size), "ppi": [round(ppi, 1)]}
    found.require(ppi > 0, "the file does not say its resolution, so we can't tell its size.")
    found.require(profile is not None, "the file has no colour profile.")
    found.require(mode not in ("RGBA", "LA", "PA"), "it holds transparency; flatten it.")
    if ppi > 0:
        found.width_mm, found.height_mm = (side / ppi * MM_PER_INCH for side in size)
        found.facts["trim_mm"] = [round(found.width_mm, 1), round(found.height_mm, 1)]
        found.require(
            ppi >= paper.least_ppi - 0.5,
            f"it has {ppi:.0f} ppi; on {paper.title} we need {paper.least_ppi:.0f} ppi.",
        )
    _look(_reduced(path), paper, found, "", profile)


def _reduced(path: Path) -> PIL.Image.Image:
    """Return a small copy of a picture, its sample values unconverted."""
    opened = pyvips.Image.new_from_file(str(path), access="sequential")
    small = opened.resize(min(1.0, LOOKED_AT / max(opened.width, opened.height)), kernel="linear")
    if small.format != "uchar":
        small = (small / 257).rint().cast("uchar")
    pixels = small.numpy()
    mode = {1: "L", 3: "RGB", 4: "CMYK" if opened.interpretation == "cmyk" else "RGBA"}[small.bands]
    return PIL.Image.fromarray(pixels.squeeze(), mode)


def _look(
    picture: PIL.Image.Image | None,
    paper: Paper,
    found: Inspection,
    where: str,
    profile: bytes | None,
) -> None:
    """Measure the ink, and make the small copy for the proof."""
    if picture is None:
        found.facts["ink"] = "not measured: too large without loss"
        return
    if picture.mode == "CMYK":
        picture.thumbnail((LOOKED_AT, LOOKED_AT))
        ink = float(np.asarray(picture, np.uint16).sum(axis=2).max()) / 2.55
        found.facts["ink"] = round(ink)
        found.require(ink <= paper.most_ink + 1,
                      f"{where}it lays up to {ink:.0f} % of ink on one place; {paper.title} takes "
                      f"{paper.most_ink:.0f} %.")  # fmt: skip
    found.picture = _in_srgb(picture, profile)


def _in_srgb(picture: PIL.Image.Image, profile: bytes | None) -> PIL.Image.Image:
    if not profile:
        return picture.convert("RGB")
    if picture.mode == "RGBA":
        picture = picture.convert("RGB")
    there = PIL.ImageCms.ImageCmsProfile(io.BytesIO(profile))
    made = PIL.ImageCms.profileToProfile(
        picture, there, PIL.ImageCms.createProfile("sRGB"), outputMode="RGB"
    )
    assert made is not None
    return made
