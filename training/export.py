"""Writes a trained model into the application: `python -m training.export NAME`.

Makes ``enamel/weights/NAME.onnx`` from the averaged weights of ``training/runs/NAME.pt``, the card
beside it, and checks that ONNX Runtime gives what torch gives.
"""

import argparse
import json

import numpy as np
import onnxruntime
import torch

from enamel.core.weights import SHIPPED
from training.recipes import RECIPES, Recipe
from training.train import Run

TOLERANCE = 2e-4
LICENCE = "Trained for Enamel on photographs, textures and drawings from Debian's packages."


class Clipped(torch.nn.Module):
    """The network with its output kept in 0…1."""

    def __init__(self, network: torch.nn.Module) -> None:
        super().__init__()
        self.network = network

    def forward(self, small: torch.Tensor) -> torch.Tensor:
        return self.network(small).clamp(0, 1)


def export(recipe: Recipe) -> None:
    run = Run(recipe)
    network = Clipped(run.average).eval().to(memory_format=torch.contiguous_format)
    path = SHIPPED / f"{recipe.name}.onnx"
    sample = torch.rand(1, 3, 40, 56)
    torch.onnx.export(
        network,
        (sample,),
        str(path),
        input_names=["small"],
        output_names=["large"],
        dynamic_axes={
            "small": {2: "height", 3: "width"},
            "large": {2: "large_height", 3: "large_width"},
        },
        opset_version=17,
        dynamo=False,
    )
    session = onnxruntime.InferenceSession(str(path), providers=["CPUExecutionProvider"])
    other = torch.rand(1, 3, 33, 47)
    (found,) = session.run(None, {"small": other.numpy()})
    with torch.no_grad():
        difference = float(np.abs(found - network(other).numpy()).max())
    if difference > TOLERANCE:
        raise SystemExit(f"ONNX Runtime differs from torch by {difference:.1e}.")
    card = {
        "name": recipe.name,
        "kind": "upscaler",
        "factor": recipe.network["factor"],
        "summary": recipe.summary,
        "licence": LICENCE,
        "trained": {"steps": run.step, "minutes": round(run.minutes)},
        "upscaler": {"radius": run.average.radius},
    }
    path.with_suffix(".json").write_text(json.dumps(card, indent=2, ensure_ascii=False) + "\n")
    run.save(slim=True)
    print(
        f"{path.name}: {path.stat().st_size / 1e6:.2f} MB, differs from torch by {difference:.1e}"
    )


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("name", choices=RECIPES)
    export(RECIPES[parser.parse_args().name])
