"""Measures models on the test split or on any folder of pictures; prints tables for docs/research/models.md.

    python -m training.evaluate [FOLDER] [--factor 4] [--quality 40] [--count 40]   upscalers
    python -m training.evaluate --refiner grisaille [--count 12]                    a refiner
    python -m training.evaluate --refiner suited [--count 4]                        each kind by its own
    python -m training.evaluate --levels grisaille [--count 6]                      samplers and levels
    python -m training.evaluate --words grisaille [--count 12 --strength 0.6 --hold 0 --guidance 2]
    python -m training.evaluate --crops docs/research/models-crops.jpg              the sheet of crops
    python -m training.evaluate --word-crops docs/research/models-words.jpg         that of words

The middle square of every picture is reduced by antialiased bicubic, compressed if asked, enlarged again by
plain interpolation and by every model, and compared with the original.
"""

import argparse
import time
from pathlib import Path

import numpy as np

from enamel.core.upscaling import upscaler_names
from training.crops import draw_crops, draw_words
from training.measures import enlarge, grey, low_psnr, psnr, ssim, to_samples, top_octave
from training.refinements import evaluate_levels, evaluate_refiner, evaluate_words
from training.sources import CACHE
from training.testpictures import reduce_picture, size_of, squares


def evaluate(folder: Path, factor: int, quality: int | None, count: int) -> None:
    """Fidelity, detail, tone and speed of every upscaler."""
    pictures = squares(folder, count)
    print(
        f"{len(pictures)} pictures, {factor}×, {'JPEG ' + str(quality) if quality else 'uncompressed'}"
    )
    print("| upscaler | PSNR-Y | SSIM | top octave, share of the truth's | low PSNR | MP/s out |")
    print("|---|---|---|---|---|---|")
    for name in upscaler_names():
        scores, seconds, area = [], 0.0, 0.0
        for sharp in pictures:
            source, size = reduce_picture(sharp, factor, quality), size_of(sharp)
            began = time.perf_counter()
            large = enlarge(source, size, name)
            seconds += time.perf_counter() - began
            area += size.megapixels
            found, truth = grey(large), grey(to_samples(sharp))
            share = top_octave(found) / max(top_octave(truth), 1e-9)
            plain = grey(enlarge(source, size, "lanczos"))
            scores.append((psnr(found, truth), ssim(found, truth), share, low_psnr(found, plain)))
        values = np.array(scores)
        print(
            f"| {name} | {values[:, 0].mean():.2f} dB | {values[:, 1].mean():.4f} "
            f"| {np.median(values[:, 2]):.0%} | {values[:, 3].mean():.1f} dB | {area / seconds:.2f} |",
            flush=True,
        )


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", nargs="?", type=Path, default=CACHE / "arrays" / "test")
    parser.add_argument("--factor", type=int, default=4)
    parser.add_argument("--quality", type=int)
    parser.add_argument("--count", type=int, default=40)
    parser.add_argument("--strength", type=float, default=0.6, help="for words")
    parser.add_argument("--refiner")
    parser.add_argument("--levels")
    parser.add_argument("--words")
    parser.add_argument("--hold", type=float, default=0.0, help="of the structure, for words")
    parser.add_argument("--guidance", type=float, default=2.0, help="scale, for words")
    parser.add_argument("--crops", type=Path)
    parser.add_argument("--word-crops", type=Path)
    chosen = parser.parse_args()
    if chosen.refiner:
        evaluate_refiner(chosen.folder, chosen.refiner, chosen.count)
    elif chosen.levels:
        evaluate_levels(chosen.folder, chosen.levels, chosen.count)
    elif chosen.words:
        evaluate_words(chosen.words, chosen.count, chosen.strength, chosen.hold, chosen.guidance)
    elif chosen.crops:
        draw_crops(chosen.crops, chosen.folder)
    elif chosen.word_crops:
        draw_words(chosen.word_crops, chosen.folder)
    else:
        evaluate(chosen.folder, chosen.factor, chosen.quality, chosen.count)
