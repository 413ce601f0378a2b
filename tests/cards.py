"""Cards of checkpoints and of what goes with them, written as adding them writes them, over files that are
only there: for pages, which load nothing."""

import json
from pathlib import Path
from typing import Any

from enamel.catalogue.models import Model, Trial
from enamel.core.checkpoints.devices import TestedDevice
from enamel.core.files import hash_of
from enamel.core.networks.cards import own_folder
from tests.core.test_checkpoint_intake import safetensors


def put_card(name: str, kind: str, folder: Path, **more: Any) -> Path:
    """A card with one file behind it."""
    file = safetensors(folder / f"{name}.safetensors", {"lora": (2, 2)})
    found = file.stat()
    listed = [
        {
            "path": file.name,
            "bytes": found.st_size,
            "changed": found.st_mtime_ns,
            "sha256": hash_of(file),
        }
    ]
    models = own_folder()
    assert models is not None
    models.mkdir(parents=True, exist_ok=True)
    card = models / f"{name}.json"
    facts = {"name": name, "kind": kind, "summary": "", "licence": "", "factor": None}
    facts["files"] = {"folder": str(folder), "listed": listed}
    card.write_text(json.dumps(facts | more))
    return card


def take_cards_away() -> None:
    """Leave no card of one's own for the next test."""
    models = own_folder()
    assert models is not None
    for card in models.glob("*.json"):
        card.unlink()


def put_checkpoint(name: str, folder: Path, *, few_steps: int | None = None) -> None:
    """The card of a checkpoint that was tried, and how fast it is."""
    runs = {"device": "cpu", "dtype": "float32", "vae_dtype": "float32"}
    assert TestedDevice.read(runs).device == "cpu"
    put_card(
        name,
        "refiner",
        folder,
        checkpoint={
            "runs": runs,
            "prediction": "epsilon",
            "room": 75,
            "drift": {"mean": [0.4, -0.2, 1.1], "rms": 2.4},
            "latent_preview": [[0.0] * 3] * 5,
            "few_steps": few_steps,
            "parts": [
                {"role": "unet", "class": "UNet", "parameters": 860_000_000, "bytes": 1, "dtypes": []}
            ],
            "scheduler": {},
        },
        refiner={
            "grid": 8, "native_tile": 768, "radius": None, "sigma_min": 0.03, "rho": 7.0,
            "strength_map": [[0, 0.03], [1, 14.6]], "softening": 16.0, "bytes_per_pixel": 500,
            "space": {"factor": 8, "channels": 4, "coding_radius": None, "coding_cost": 1.5},
            "reads_prompts": True, "holding": "start",
        },
    )  # fmt: skip
    model = Model.objects.named(name)
    assert model is not None
    Trial.objects.create(model=model, sha256=model.card.digest, state=Trial.State.DONE, rate=0.5)
