"""Folders and files from elsewhere: what can't be used is refused with a sentence, and nothing is run.

Everything here is told from headers and configurations; no library for networks is loaded.
"""

import json
import pickle
import struct
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from enamel.core.checkpoints import devices, folder
from enamel.core.checkpoints.intake import add_model, waiting
from enamel.core.checkpoints.prompts import Phrase, phrases_of
from enamel.core.checkpoints.tensors import weights_in
from enamel.core.errors import FieldRefusal, Refusal
from enamel.core.networks.kits import kit_of
from enamel.core.schedule import Adapter
from enamel.core.written import read_adapters, written_adapters


def safetensors(path: Path, tensors: dict[str, tuple[int, ...]], *, claim: int = 1) -> Path:
    """A file of float32 zeros; ``claim`` times as long as it is, if its header is believed."""
    header, place = {}, 0
    for name, shape in tensors.items():
        size = 4
        for side in shape:
            size *= side
        header[name] = {
            "dtype": "F32",
            "shape": [shape[0] * claim, *shape[1:]],
            "data_offsets": [place * claim, (place + size) * claim],
        }
        place += size
    contents = json.dumps(header).encode()
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(struct.pack("<Q", len(contents)) + contents + bytes(place))
    return path


def written(path: Path, **contents: Any) -> Path:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(json.dumps(contents))
    return path


@pytest.fixture
def sound(tmp_path: Path) -> Path:
    """A checkpoint's folder in which nothing is missing."""
    top = tmp_path / "night-mail"
    parts = {
        "unet": ["diffusers", "UNet2DConditionModel"],
        "vae": ["diffusers", "AutoencoderKL"],
        "text_encoder": ["transformers", "CLIPTextModel"],
        "tokenizer": ["transformers", "CLIPTokenizer"],
        "scheduler": ["diffusers", "EulerDiscreteScheduler"],
    }
    written(top / "model_index.json", _class_name="Pipeline", **parts)
    for role, name in {
        "unet": "diffusion_pytorch_model",
        "vae": "diffusion_pytorch_model",
        "text_encoder": "model",
    }.items():
        written(top / role / "config.json", sample_size=16)
        safetensors(top / role / f"{name}.safetensors", {"weight": (4, 8)})
    written(top / "tokenizer" / "vocab.json", the=0)
    written(top / "scheduler" / "scheduler_config.json", beta_schedule="linear")
    return top


def changed(path: Path, **contents: Any) -> None:
    path.write_text(json.dumps(json.loads(path.read_text()) | contents))


def without_weights(top: Path) -> None:
    (top / "vae" / "diffusion_pytorch_model.safetensors").unlink()


def pickled(top: Path) -> None:
    without_weights(top)
    (top / "vae" / "diffusion_pytorch_model.bin").write_bytes(pickle.dumps({"weight": 1}))


def pickle_renamed(top: Path) -> None:
    (top / "unet" / "diffusion_pytorch_model.safetensors").write_bytes(
        pickle.dumps([1], protocol=4)
    )


def cut_short(top: Path) -> None:
    path = top / "unet" / "diffusion_pytorch_model.safetensors"
    path.write_bytes(path.read_bytes()[:-40])


def huge_claim(top: Path) -> None:
    path = top / "unet" / "diffusion_pytorch_model.safetensors"
    safetensors(path, {"weight": (4, 8)}, claim=10**12)


def no_header(top: Path) -> None:
    path = top / "unet" / "diffusion_pytorch_model.safetensors"
    path.write_bytes(struct.pack("<Q", 2**60) + b"{}")


def no_vocabulary(top: Path) -> None:
    (top / "tokenizer" / "vocab.json").write_text("")


def own_code(top: Path) -> None:
    changed(top / "unet" / "config.json", auto_map={"AutoModel": "own.Model"})


def own_pipeline(top: Path) -> None:
    changed(top / "model_index.json", _class_name=["pipeline", "OwnPipeline"])


def own_library(top: Path) -> None:
    changed(top / "model_index.json", unet=["own_code", "Model"])


def not_json(top: Path) -> None:
    (top / "unet" / "config.json").write_text("[" * 5000)


def no_scheduler(top: Path) -> None:
    (top / "scheduler" / "scheduler_config.json").unlink()


def piece_missing(top: Path) -> None:
    where = {"weight_map": {"weight": "diffusion_pytorch_model-00002-of-00002.safetensors"}}
    written(top / "unet" / "diffusion_pytorch_model.safetensors.index.json", **where)


def piece_outside(top: Path) -> None:
    where = {"weight_map": {"weight": "../vae/diffusion_pytorch_model.safetensors"}}
    written(top / "unet" / "diffusion_pytorch_model.safetensors.index.json", **where)


@pytest.mark.parametrize(
    ("spoil", "contents"),
    [
        (without_weights, "vae has no weights"),
        (pickled, "vae are pickled .*Ask for the safetensors form"),
        (pickle_renamed, "a pickle with another name"),
        (cut_short, "claims tensors that it does not hold"),
        (huge_claim, "claims tensors that it does not hold"),
        (no_header, "no safetensors file, or was cut short"),
        (no_vocabulary, "tokenizer has no vocabulary"),
        (own_code, "unet asks for its own code"),
        (own_pipeline, "pipeline with its own code"),
        (own_library, "unet comes from 'own_code'"),
        (not_json, "unet/config.json is not a JSON object"),
        (no_scheduler, "scheduler_config.json is missing"),
        (piece_missing, "the file diffusion_pytorch_model-00002-of-00002.safetensors is missing"),
        (piece_outside, "the file ../vae/diffusion_pytorch_model.safetensors is missing"),
    ],
)
def test_a_spoilt_folder_is_refused_with_a_sentence(
    sound: Path, spoil: Callable[[Path], None], contents: str
) -> None:
    folder.contents_of(sound)
    spoil(sound)
    with pytest.raises(Refusal, match=contents) as refused:
        folder.contents_of(sound)
    assert str(refused.value).endswith((".", ")"))


def test_one_file_may_stand_for_all_weights(sound: Path) -> None:
    for weights in sound.glob("*/*.safetensors"):
        weights.unlink()
    safetensors(sound / "night-mail.safetensors", {"model.weight": (4, 8)})
    found = folder.contents_of(sound)
    assert found.single is not None
    assert found.single.parameters == 32
    safetensors(sound / "another.safetensors", {"model.weight": (4, 8)})
    with pytest.raises(Refusal, match="lie 2 files with weights"):
        folder.contents_of(sound)


def test_parts_are_counted_by_their_headers(sound: Path) -> None:
    found = folder.contents_of(sound)
    assert found.network.parameters == 32
    assert found.network.weights[0].dtypes == {"F32"}
    assert [part.role for part in found.parts] == ["unet", "vae", "text_encoder"]


def test_a_variant_is_taken_where_there_is_no_plain_file(sound: Path) -> None:
    place = sound / "unet"
    plain = place / "diffusion_pytorch_model.safetensors"
    plain.rename(place / "diffusion_pytorch_model.fp16.safetensors")
    assert folder.variant_of(folder.contents_of(sound).network) == "fp16"


@pytest.mark.parametrize(
    "header",
    [
        b"[]", b'{"a": 1}', b'{"a": {"dtype": "F32", "shape": [-1], "data_offsets": [0, 4]}}',
        b'{"a": {"dtype": "X9", "shape": [1], "data_offsets": [0, 4]}}',
        b'{"a": {"dtype": "F32", "shape": [1], "data_offsets": [0, "4"]}}',
        b'{"a": {"dtype": "F32", "shape": [1], "data_offsets": [-4, 0]}}', b"\xff\xfe",
    ],
)  # fmt: skip
def test_a_header_that_makes_no_sense_is_refused(tmp_path: Path, header: bytes) -> None:
    path = tmp_path / "made-up.safetensors"
    path.write_bytes(struct.pack("<Q", len(header)) + header + bytes(16))
    with pytest.raises(Refusal):
        weights_in(path)


def test_an_adapter_stays_where_it_is_and_is_named_by_hash(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("ENAMEL_MODELS", str(tmp_path / "models"))
    monkeypatch.setenv("ENAMEL_CHECKPOINTS", str(tmp_path / "put-here"))
    path = safetensors(
        tmp_path / "put-here" / "copper.safetensors", {"unet.a.lora_A.weight": (2, 4)}
    )
    assert waiting() == [path]
    card = add_model(path, "copper-line")
    assert (card.kind, waiting()) == ("adapter", [])
    kit = kit_of("grisaille", (Adapter("copper-line", 0.8),), "", "")
    assert kit is not None
    assert kit.adapters[0].sha256 == card.sha256
    with pytest.raises(FieldRefusal, match="no guide named 'edges'"):
        kit_of("grisaille", (), "edges", "")
    path.write_bytes(path.read_bytes() + b" ")
    with pytest.raises(Refusal, match="has changed since copper-line was added"):
        card.verify(None)
    path.unlink()
    with pytest.raises(Refusal, match="is missing"):
        card.verify(None)


def test_what_is_no_adapter_is_reported(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("ENAMEL_MODELS", str(tmp_path / "models"))
    path = safetensors(tmp_path / "whole.safetensors", {"model.weight": (2, 4)})
    with pytest.raises(Refusal, match="holds no low-rank adapter"):
        add_model(path, "whole")
    with pytest.raises(Refusal, match="There is nothing at"):
        add_model(tmp_path / "gone", "gone")
    assert not list((tmp_path / "models").glob("*"))


def test_without_the_extra_it_is_shown_how_to_get_it(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("ENAMEL_MODELS", str(tmp_path / "models"))
    monkeypatch.setattr(devices, "EXTRA", ("a-package-nobody-has",))
    with pytest.raises(Refusal, match="Run bin/setup --checkpoints"):
        add_model(tmp_path, "night-mail")


def test_the_engine_needs_nothing_of_the_extra() -> None:
    blocked = [
        "torch",
        "diffusers",
        "transformers",
        "tokenizers",
        "safetensors",
        "peft",
        "accelerate",
    ]
    report = (
        "import sys\n"
        f"for name in {blocked}: sys.modules[name] = None\n"
        "import enamel.cli, enamel.core.diffusion.refiners, enamel.core.checkpoints.own\n"
    )
    subprocess.run([sys.executable, "-c", report], check=True)


def test_phrases_and_what_they_count_for() -> None:
    assert phrases_of("oak, (copper boiler:1.3), steam") == [
        Phrase("oak, "), Phrase("copper boiler", 1.3), Phrase(", steam"),
    ]  # fmt: skip
    assert phrases_of(r"a \(small\) lamp (1910)") == [Phrase("a (small) lamp (1910)")]
    assert phrases_of("(lamp:99)") == [Phrase("lamp", 3.0)]
    assert phrases_of("") == []


def test_adapters_are_read_as_written() -> None:
    adapters = (Adapter("copper-line", 0.8), Adapter("night", -0.5))
    assert read_adapters(written_adapters(adapters)) == adapters
    assert read_adapters("copper-line") == (Adapter("copper-line", 1.0),)
    with pytest.raises(FieldRefusal, match="'copper much' is no adapter"):
        read_adapters("copper much")
