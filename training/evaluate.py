"""Measures upscalers: `python -m training.evaluate [FOLDER] [--factor 4] [--quality 40] [--count 40]`.

Every picture of a folder (the test split when left out) is cut to a middle square, reduced by the
factor, compressed if asked, enlarged again by plain interpolation and by every trained upscaler, and
compared with itself.
"""

import argparse
import io
import time
from pathlib import Path

import cv2
import numpy as np
import PIL.Image

from enamel.core.canvas import Pixels
from enamel.core.geometry import Box, Size
from enamel.core.upscale import Enlarged, upscaler, upscaler_names
from training.sources import CACHE

SIDE = 480
LUMA = np.array([0.2126, 0.7152, 0.0722])


def luma(samples: np.ndarray) -> np.ndarray:
    return samples.astype(np.float64) @ LUMA / 65535


def psnr(one: np.ndarray, truth: np.ndarray) -> float:
    return float(-10 * np.log10(max(((one - truth) ** 2).mean(), 1e-10)))


def ssim(one: np.ndarray, truth: np.ndarray) -> float:
    """Structural similarity (Wang et al., IEEE TIP 13, 2004), Gaussian window of σ 1.5 px."""

    def mean(values: np.ndarray) -> np.ndarray:
        return cv2.GaussianBlur(values, (11, 11), 1.5)

    a, b = mean(one), mean(truth)
    va, vb = mean(one**2) - a**2, mean(truth**2) - b**2
    ab = mean(one * truth) - a * b
    c1, c2 = 0.01**2, 0.03**2
    return float(
        (((2 * a * b + c1) * (2 * ab + c2)) / ((a**2 + b**2 + c1) * (va + vb + c2))).mean()
    )


def top_octave(values: np.ndarray) -> float:
    """Spectral energy between half the Nyquist frequency and Nyquist."""
    faded = (values - values.mean()) * np.outer(
        np.hanning(values.shape[0]), np.hanning(values.shape[1])
    )
    power = np.abs(np.fft.fft2(faded)) ** 2
    y, x = (np.fft.fftfreq(side)[:, None] for side in values.shape)
    radius = np.hypot(y, x.T)
    return float(power[(radius > 0.25) & (radius <= 0.5)].sum())


def squares(folder: Path, count: int) -> list[np.ndarray]:
    """Middle squares of the folder's pictures, arrays or files, at most ``count`` of each subfolder."""
    found = []
    for group in [folder, *sorted(path for path in folder.iterdir() if path.is_dir())]:
        paths = sorted(path for path in group.iterdir() if path.is_file())
        for path in paths[:: max(1, len(paths) // count)][:count]:
            if path.suffix == ".npy":
                pixels = np.load(path, mmap_mode="r")
            else:
                try:
                    pixels = np.asarray(PIL.Image.open(path).convert("RGB"))
                except OSError:
                    continue
            side = min(SIDE, *pixels.shape[:2]) // 8 * 8
            top, left = ((length - side) // 2 for length in pixels.shape[:2])
            found.append(np.array(pixels[top : top + side, left : left + side]))
    return found


def small_of(sharp: np.ndarray, factor: int, quality: int | None) -> np.ndarray:
    image = PIL.Image.fromarray(sharp)
    image = image.resize(
        (image.width // factor, image.height // factor), PIL.Image.Resampling.BICUBIC
    )
    if quality is not None:
        buffer = io.BytesIO()
        image.save(buffer, "JPEG", quality=quality)
        image = PIL.Image.open(buffer).convert("RGB")
    return np.asarray(image)


def evaluate(folder: Path, factor: int, quality: int | None, count: int) -> None:
    pictures = squares(folder, count)
    print(
        f"{len(pictures)} pictures, {factor}×, {'JPEG ' + str(quality) if quality else 'uncompressed'}"
    )
    print("| upscaler | PSNR-Y | SSIM | top octave, share of the truth's | MP/s out |")
    print("|---|---|---|---|---|")
    for name in upscaler_names():
        scores, similar, energy, seconds, area = [], [], [], 0.0, 0.0
        for sharp in pictures:
            source = Pixels(small_of(sharp, factor, quality).astype(np.uint16) * 257)
            size = Size(sharp.shape[1], sharp.shape[0])
            began = time.perf_counter()
            large = Enlarged(source, size, upscaler(name)).read(Box.whole(size))
            seconds += time.perf_counter() - began
            area += size.megapixels
            found, truth = luma(large), luma(sharp.astype(np.uint16) * 257)
            scores.append(psnr(found, truth))
            similar.append(ssim(found, truth))
            energy.append(top_octave(found) / max(top_octave(truth), 1e-9))
        print(
            f"| {name} | {np.mean(scores):.2f} dB | {np.mean(similar):.4f} | {np.median(energy):.0%} "
            f"| {area / seconds:.2f} |",
            flush=True,
        )


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", nargs="?", type=Path, default=CACHE / "arrays" / "test")
    parser.add_argument("--factor", type=int, default=4)
    parser.add_argument("--quality", type=int)
    parser.add_argument("--count", type=int, default=40)
    chosen = parser.parse_args()
    evaluate(chosen.folder, chosen.factor, chosen.quality, chosen.count)
