"""Soft proofs: how a picture will look on paper, for a screen that shows sRGB.

Colours go to the profile and back by the code that writes files. White of the paper and black of the ink
show with the absolute intent on the way back (ISO 15076-1); a colour counts as out of gamut where there and
back, by relative intent, moves it by more than `OUT_DELTA_E` (CIEDE2000, CIE 142).
"""

import math
from dataclasses import dataclass, replace

import pyvips

from enamel.core.errors import require
from enamel.core.fields import check_fields, number, setting
from enamel.core.imaging.buffer import ColourSpace, PixelBuffer
from enamel.core.imaging.canvas import SampleArray
from enamel.core.printing.paper import SURFACES, PaperStock
from enamel.core.printing.profiles import (
    SRGB,
    Intent,
    Profile,
    converted,
    path_of,
    profile_of,
)
from enamel.core.printing.sizing import ACUITY_ARCMIN, HAND_MM, MM_PER_INCH, PRINT_PPI

OUT_DELTA_E = 3.0
"""Difference from which a colour counts as out of gamut; rounding to 8 bits stays below 1."""
WARNING = (196, 49, 31)
"""Colour in which such places are shown."""
EYE_SIGMA = 0.5
"""Standard deviation of the eye's blur, in multiples of the finest visible detail."""
REACH = 3.0
"""How many standard deviations of a blur are read around a tile."""
LEAST_SIGMA = 0.3
"""Smaller blurs, in px, change nothing."""


@dataclass(frozen=True, slots=True)
class Proof:
    """Settings of a soft proof."""

    profile: str = setting(SRGB, "The output profile.")
    intent: Intent = setting(Intent.RELATIVE, "What happens to colours that paper can't show.")
    black_point: bool = setting(True, "Whether black is brought to the paper's black.")
    white: bool = setting(False, "Whether the paper's own white is shown.")
    black: bool = setting(False, "Whether black is only as dark as ink on that paper.")
    gamut: bool = setting(False, "Whether places out of gamut are marked.")
    gain: float = number(0.0, 0, 40, "More dot gain than the profile knows, at half tone.", "%")
    paper: PaperStock = setting(PaperStock.NONE, "Whose spread of ink is shown.")
    distance_mm: float = number(0.0, 0, 100_000, "From how far it is seen; 0 for as it is.", "mm")
    ppi: float = number(PRINT_PPI, 10, 4800, "Resolution on paper.", "ppi")

    def __post_init__(self) -> None:
        check_fields(self)
        require(self.distance_mm == 0 or self.distance_mm >= HAND_MM / 6, "distance_mm",
                self.distance_mm, "0, or at least 50 mm")  # fmt: skip

    @property
    def sigma(self) -> float:
        """Standard deviation of the blur by ink and eye together, in px of the picture."""
        surface = SURFACES.get(self.paper)
        ink = surface.spread_mm if surface else 0.0
        eye = EYE_SIGMA * self.distance_mm * math.tan(math.radians(ACUITY_ARCMIN / 60))
        return math.hypot(ink, eye) / MM_PER_INCH * self.ppi

    def margin(self, scale: float) -> int:
        """Return the margin that a part of the picture needs, in px at a scale."""
        sigma = self.sigma * scale
        return math.ceil(REACH * sigma) if sigma >= LEAST_SIGMA else 0


def proofed(picture: PixelBuffer, proof: Proof, scale: float = 1.0) -> PixelBuffer:
    """Return a picture as it will look on paper, in 8-bit sRGB.

    Parameters
    ----------
    picture : 16-bit sRGB; alpha is flattened on white first.
    scale : scale of the given picture: 1 for its own pixels, ½ for half of them.
    """
    profile = profile_of(proof.profile)
    inks = converted(picture, profile, proof.intent, proof.black_point, 16)
    if proof.gain:
        inks = gained(inks, proof.gain / 100)
    seen = on_screen(inks, profile, proof.white, proof.black)
    sigma = proof.sigma * scale
    if sigma >= LEAST_SIGMA:
        blurred = seen.image.gaussblur(sigma, min_ampl=0.01)
        seen = replace(seen, image=seen.with_range(blurred))
    if proof.gamut:
        marked = out_of_gamut(picture, profile).ifthenelse(list(WARNING), seen.image)
        seen = replace(seen, image=seen.with_range(marked))
    return seen


def on_screen(inks: PixelBuffer, profile: Profile, white: bool, black: bool) -> PixelBuffer:
    """Convert from a profile to 8-bit sRGB, with the paper's white, the ink's black, or neither."""
    if profile.name == SRGB:
        return inks.eight_bits()
    seen = inks.image.icc_transform(
        SRGB,
        input_profile=str(path_of(profile.name)),
        intent=str(Intent.ABSOLUTE if white else Intent.RELATIVE),
        black_point_compensation=not black and not white,
        depth=8,
    )
    return PixelBuffer(seen.copy(interpretation="srgb"), bits=8)


def gained(inks: PixelBuffer, gain: float) -> PixelBuffer:
    """Return a picture in a profile with dot gain, given as a fraction at half tone.

    a' = a + 4 · gain · a · (1 − a) for the fraction a of each ink (a parabola through no and full ink, the
    usual stand-in for Yule–Nielsen's curve); of an RGB profile a is what is missing of the light.
    """
    fractions = inks.image / inks.peak
    if inks.space is not ColourSpace.CMYK:
        fractions = 1 - fractions
    grown = fractions + 4 * gain * fractions * (1 - fractions)
    if inks.space is not ColourSpace.CMYK:
        grown = 1 - grown
    clipped = (grown > 1).ifthenelse(1, (grown < 0).ifthenelse(0, grown))
    return replace(inks, image=inks.with_range(clipped * inks.peak))


def out_of_gamut(picture: PixelBuffer, profile: Profile) -> pyvips.Image:
    """Return one band, 255 where a colour of the picture is out of the profile's gamut."""
    if profile.name == SRGB:
        return pyvips.Image.black(*picture.size)
    inks = converted(picture, profile, Intent.RELATIVE, False, 16)
    back = on_screen(inks, profile, white=False, black=True).image
    before = picture.eight_bits().image
    return before.colourspace("lab").dE00(back.colourspace("lab")) > OUT_DELTA_E


def fraction_out_of_gamut(cells: SampleArray, profile: Profile) -> float:
    """Return the fraction of a picture out of a profile's gamut, by the means of its cells, 0…1."""
    return float(out_of_gamut(PixelBuffer.of_samples(cells), profile).avg()) / 255
