"""Sets a run's weights to a mean of two of its states: `python -m training.blend NAME EARLIER [--share 0.5]`.

EARLIER is an earlier checkpoint of the same run. The mean of two states of one run often keeps most
of what each does best (Wortsman et al., "Robust fine-tuning of zero-shot models", CVPR 2022).
"""

import argparse
from pathlib import Path

import torch

from training.recipes import RECIPES
from training.train import Run


def blend(run: Run, earlier: Path, share: float) -> None:
    """Leave this share of the run's averaged weights, and take the rest from an earlier state of it."""
    before = torch.load(earlier, weights_only=True)["average"]
    now = run.average.state_dict()
    mean = {name: before[name].lerp(values, share) for name, values in now.items()}
    run.average.load_state_dict(mean)
    run.network.load_state_dict(mean)
    run.save()


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("name", choices=RECIPES)
    parser.add_argument("earlier", type=Path)
    parser.add_argument("--share", type=float, default=0.5)
    chosen = parser.parse_args()
    blend(Run(RECIPES[chosen.name]), chosen.earlier, chosen.share)
