"""Writes a trained model into the application: `python -m training.export NAME`.

Makes ``enamel/weights/NAME.onnx`` from the averaged weights of the run, checks that ONNX Runtime gives
what torch gives, and runs the trial that added models go through, whose result is the card beside the file.
Training on other machines resumes from the file.
"""

import argparse
import json

import numpy as np
import onnx
import onnxruntime
import torch
from onnx import TensorProto, helper, numpy_helper

from enamel.core.files import hash_of
from enamel.core.networks.cards import SHIPPED
from enamel.core.networks.intake import accept
from training.lessons import RHO, SIGMA_MIN, SOFTENING, STRENGTH_MAP
from training.materials import VOCABULARY
from training.recipes import RECIPES, Recipe
from training.shipped import IN_16_BITS
from training.train import Run

TOLERANCE = 2e-4
SMALL = 1024
"""Weights of fewer numbers are kept in 32 bits."""
LICENCE = "Trained for Enamel on photographs, textures and drawings from Debian's packages."
REFINER = {
    "sigma_min": SIGMA_MIN,
    "rho": RHO,
    "strength_map": STRENGTH_MAP,
    "softening": SOFTENING,
    "vocabulary": VOCABULARY,
}
"""Metadata of a refiner's file."""


class ClippedUpscaler(torch.nn.Module):
    """An upscaler with its output kept in 0…1."""

    def __init__(self, network: torch.nn.Module) -> None:
        super().__init__()
        self.network = network

    def forward(self, small: torch.Tensor) -> torch.Tensor:
        return self.network(small).clamp(0, 1)


def example_inputs(recipe: Recipe, height: int, width: int) -> dict[str, torch.Tensor]:
    """Random inputs by name, for tracing and for comparison."""
    if recipe.kind == "upscaler":
        return {"small": torch.rand(1, 3, height, width)}
    return {
        "x": torch.randn(1, 3, height, width),
        "cond": torch.rand(1, 3, height, width) * 2 - 1,
        "sigma": torch.tensor([0.2]),
        "words": torch.full((1, len(VOCABULARY)), 1 / len(VOCABULARY)),
        "degradation": torch.tensor([0.7]),
    }


def export(recipe: Recipe) -> None:
    run = Run(recipe)
    network = run.average.half().float().eval()
    network = network.to(memory_format=torch.contiguous_format)  # type: ignore[call-overload]
    output, pictures = ("large", ["small"]) if recipe.kind == "upscaler" else ("x0", ["x", "cond"])
    if recipe.kind == "upscaler":
        network = ClippedUpscaler(network).eval()
    path = SHIPPED / f"{recipe.name}.onnx"
    traced = example_inputs(recipe, 40, 56)
    torch.onnx.export(
        network,
        tuple(traced.values()),
        str(path),
        input_names=list(traced),
        output_names=[output],
        dynamic_axes={name: {2: "height", 3: "width"} for name in pictures}
        | {output: {2: "large_height", 3: "large_width"}},
        opset_version=17,
        dynamo=False,
    )
    model = onnx.load(path)
    if recipe.kind == "refiner":
        for name, value in (REFINER | {"final_degradation": recipe.lag}).items():
            model.metadata_props.add(key=name, value=json.dumps(value, ensure_ascii=False))
    store_in_16_bits(model.graph)
    onnx.save(model, path)
    difference = largest_difference(str(path), network, example_inputs(recipe, 48, 32))
    if difference > TOLERANCE:
        raise SystemExit(f"ONNX Runtime differs from torch by {difference:.1e}.")
    card = {
        "name": recipe.name,
        "summary": recipe.summary,
        "licence": LICENCE,
        "trained": {"steps": run.step, "minutes": round(run.minutes)},
    } | accept(path)
    # the trial can miss effects below rounding; the architecture gives the upper bound of the radius
    if card[recipe.kind]["radius"] > run.average.radius:
        raise SystemExit(f"It looks farther than {run.average.radius} px.")
    card[recipe.kind]["radius"] = run.average.radius
    path.with_suffix(".json").write_text(json.dumps(card, indent=2, ensure_ascii=False) + "\n")
    hashes = {one.name: hash_of(one) for one in sorted(SHIPPED.glob("*.onnx"))}
    (SHIPPED / "SHA256SUMS").write_text("".join(f"{h}  {name}\n" for name, h in hashes.items()))
    print(
        f"{path.name}: {path.stat().st_size / 1e6:.2f} MB, differs from torch by {difference:.1e}"
    )


def store_in_16_bits(graph: onnx.GraphProto) -> None:
    """Store weights in 16 bits, which runtimes convert when they load the file: half the size.
    Nothing is lost, because the weights were rounded before."""
    for weight in graph.initializer:
        values = numpy_helper.to_array(weight)
        if values.dtype == np.float32 and values.size >= SMALL:
            name = weight.name
            weight.CopyFrom(numpy_helper.from_array(values.astype(np.float16), name + IN_16_BITS))
            widen = helper.make_node("Cast", [name + IN_16_BITS], [name], to=TensorProto.FLOAT)
            graph.node.insert(0, widen)


def largest_difference(
    path: str, network: torch.nn.Module, given: dict[str, torch.Tensor]
) -> float:
    """Largest difference between ONNX Runtime and torch on the same inputs."""
    session = onnxruntime.InferenceSession(path, providers=["CPUExecutionProvider"])
    (found,) = session.run(None, {name: value.numpy() for name, value in given.items()})
    with torch.no_grad():
        wanted = network(*given.values()).numpy()
    return float(np.abs(found - wanted).max())


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("name", choices=RECIPES)
    export(RECIPES[parser.parse_args().name])
