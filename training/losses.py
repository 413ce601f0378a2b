"""What networks are asked for: losses on pictures (n, 3, height, width) in −1…1."""

import torch
from torch import Tensor
from torch.nn import functional

from training.texturestatistics import LUMA, blurred

EDGE_WEIGHT = 4.0
"""Weight of the loss that asks for the truth's slopes along its edges."""
ROUGHNESS_WEIGHT = 1.0
LEAST_EDGE = 40.0
"""Edge in px that a patch needs for its roughness to count."""
SPECK_WEIGHT = 1.0
"""Weight of the loss on pixels that stand out of their neighbourhood further than the truth's do."""
COHERENT, STRONG = (0.7, 0.9), (4.0, 8.0)
"""Coherence of the structure tensor, and strength in 8-bit levels, over which a place becomes an edge."""
FAINT = 5e-5
"""Energy of fine detail, about a level in each channel, below which differences do not count."""
FLAT_SIDE = 9
"""Side in px of the square whose deviation tells whether a place is flat."""


def pixel_loss(guess: Tensor, truth: Tensor, weight: Tensor, kind: str) -> Tensor:
    """The plain loss: absolute error for an upscaler, EDM's weighted squared error for a refiner."""
    if kind == "upscaler":
        return functional.l1_loss(guess, truth)
    return (weight[:, None, None, None] * (guess - truth) ** 2).mean()


def detail_energy(pictures: Tensor) -> Tensor:
    """Energy of the fine detail, which is what a blur of 0.8 px takes away, over 8 × 8 px every 4 px."""
    detail = pictures - blurred(pictures, 0.8)
    return functional.avg_pool2d((detail**2).sum(1, keepdim=True), 8, 4)


def detail_energy_loss(guess: Tensor, truth: Tensor, edges: Tensor) -> Tensor:
    """How far the fine detail's local energy is from the truth's, as a mean ratio of logarithms.

    Unlike the plain loss it does not ask where each grain lies, only that there is as much of it. Along an
    edge the cheapest energy is fray, so nothing is asked for there; in a flat area it is specks, which
    `speck_loss` penalises.

    Parameters
    ----------
    edges : how much of an edge each place of the truth is, 0…1.
    """
    free = 1 - functional.avg_pool2d(edges, 8, 4)
    away = torch.log(detail_energy(guess) + FAINT) - torch.log(detail_energy(truth) + FAINT)
    return (free * away.abs()).mean()


def gradients(luma: Tensor) -> tuple[Tensor, Tensor]:
    """Central differences of (n, 1, height, width) across and down."""
    padded = functional.pad(luma, (1, 1, 1, 1), mode="replicate")
    across = (padded[..., 1:-1, 2:] - padded[..., 1:-1, :-2]) / 2
    return across, (padded[..., 2:, 1:-1] - padded[..., :-2, 1:-1]) / 2


def luma_of(pictures: Tensor) -> Tensor:
    """(n, 1, height, width) of (n, 3, height, width)."""
    return (pictures * LUMA.view(1, 3, 1, 1)).sum(1, keepdim=True)


def find_edges(truth: Tensor) -> tuple[Tensor, Tensor, Tensor]:
    """How much of an edge each place of a picture is, 0…1, and the direction across it, as cosine and sine.

    By the structure tensor of luma (Förstner and Gülch, 1987): gradients after a blur of 1 px, their
    products blurred by 2 px. A place is an edge where the tensor is coherent and strong.
    """
    x, y = gradients(blurred(luma_of(truth), 1.0))
    xx, xy, yy = (blurred(product, 2.0) for product in (x * x, x * y, y * y))
    spread, total = torch.sqrt((xx - yy) ** 2 + 4 * xy**2 + 1e-12), xx + yy + 1e-9
    coherent = ((spread / total - COHERENT[0]) / (COHERENT[1] - COHERENT[0])).clamp(0, 1)
    levels = total.sqrt() * 255 / 2
    strong = ((levels - STRONG[0]) / (STRONG[1] - STRONG[0])).clamp(0, 1)
    angle = 0.5 * torch.atan2(2 * xy, xx - yy)
    return coherent * strong, angle.cos(), angle.sin()


def edge_gradient_loss(
    guess: Tensor, truth: Tensor, edges: tuple[Tensor, Tensor, Tensor]
) -> Tensor:
    """How far slopes along the truth's edges are from the truth's; those across them count half."""
    edge, cos, sin = edges
    x, y = gradients(luma_of(guess - truth))
    along, across = cos * y - sin * x, cos * x + sin * y
    return (edge * (along.abs() + 0.5 * across.abs())).mean()


def roughness_loss(guess: Tensor, truth: Tensor, edges: tuple[Tensor, Tensor, Tensor]) -> Tensor:
    """How much rougher edges are than the truth's, as a mean logarithm over pictures that have some.

    Roughness is the root mean square of the slope along edges over that across them, as it is measured.
    """
    edge, cos, sin = edges

    def ratio(pictures: Tensor) -> Tensor:
        x, y = gradients(luma_of(pictures))
        along, across = (
            (edge * part**2).sum((1, 2, 3)) for part in (cos * y - sin * x, cos * x + sin * y)
        )
        return 0.5 * torch.log((along + 1e-5) / (across + 1e-5))

    counts = (edge.sum((1, 2, 3)) > LEAST_EDGE).float()
    return (functional.relu(ratio(guess) - ratio(truth)) * counts).sum() / counts.sum().clamp_min(1)


def deviation_from_median(pictures: Tensor) -> Tensor:
    """How far each pixel's luma is from the median of its 3 × 3 px, (n, 1, height, width)."""
    luma = luma_of(pictures)
    padded = functional.pad(luma, (1, 1, 1, 1), mode="replicate")
    height, width = luma.shape[-2:]
    around = [padded[..., y : y + height, x : x + width] for y in range(3) for x in range(3)]
    return (luma - torch.cat(around, 1).median(1, keepdim=True).values).abs()


def speck_loss(guess: Tensor, truth: Tensor) -> Tensor:
    """How far pixels stand out of their neighbourhood beyond what the truth's do within 2 px."""
    allowed = functional.max_pool2d(deviation_from_median(truth), 5, 1, 2)
    return functional.relu(deviation_from_median(guess) - allowed - 2 * 2 / 255).mean()


def restoration_loss(guess: Tensor, source: Tensor, wanted: Tensor, detail_weight: float) -> Tensor:
    """The loss of a whole pass: distance from the target, counted more in flat areas; distance of the low
    frequencies, which keeps the tone; and `detail_loss`."""
    away = (guess - wanted).abs().mean(1, keepdim=True)
    luma = source.mean(1, keepdim=True)
    mean, square = (
        functional.avg_pool2d(values, FLAT_SIDE, 1, FLAT_SIDE // 2, count_include_pad=False)
        for values in (luma, luma**2)
    )
    flat = (square - mean**2 < (2 / 255) ** 2).float()  # a level, where white is 2 above black
    near = (away * (1 + 10 * flat)).mean()
    low = functional.l1_loss(blurred(guess, 3.0), blurred(wanted, 3.0))
    return 2 * near + 10 * low + detail_loss(guess, wanted, detail_weight)


def detail_loss(guess: Tensor, truth: Tensor, detail_weight: float) -> Tensor:
    """The loss of detail that can't be known: as much of it as the truth has, edges as straight, and no pixel
    that stands out further."""
    with torch.no_grad():
        edges = find_edges(truth)
    return (
        detail_weight * detail_energy_loss(guess, truth, edges[0])
        + EDGE_WEIGHT * edge_gradient_loss(guess, truth, edges)
        + ROUGHNESS_WEIGHT * roughness_loss(guess, truth, edges)
        + SPECK_WEIGHT * speck_loss(guess, truth)
    )


def upscaler_loss(guess: Tensor, truth: Tensor, detail_weight: float) -> Tensor:
    """An upscaler's loss beside a critic: distance from the truth, its low frequencies, and `detail_loss`."""
    near = functional.l1_loss(guess, truth)
    low = functional.l1_loss(blurred(guess, 3.0), blurred(truth, 3.0))
    return 4 * near + 10 * low + detail_loss(guess, truth, detail_weight)


def critic_loss(truer: Tensor, other: Tensor) -> Tensor:
    """How far a critic is from rating the truer pictures above the others, place by place.

    The relativistic hinge loss (Jolicoeur-Martineau, 2018), of pairs that have one source.
    """
    return functional.relu(1 - (truer - other)).mean()
