"""Artists' own models: refiners tried by the contract, names and files kept whole or not at all."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from enamel import cli
from enamel.core.diffusion.denoiser import Condition
from enamel.core.diffusion.refiners import refiner
from enamel.core.errors import Refusal
from enamel.core.networks.cards import card, cards
from enamel.core.networks.intake import accept, add_model, waiting
from enamel.core.networks.runtimes import release_unused
from tests.core.test_onnx_upscalers import network
from tests.onnxfiles import refiner_network


@pytest.fixture
def own(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    folder = tmp_path / "own"
    monkeypatch.setenv("ENAMEL_MODELS", str(folder))
    return folder


def test_a_refiner_is_understood_by_trying(tmp_path: Path) -> None:
    found = accept(refiner_network(tmp_path / "a.onnx"))
    assert found["kind"] == "refiner"
    assert found["refiner"]["grid"] == 1
    assert found["refiner"]["radius"] == 2
    assert found["refiner"]["bytes_per_pixel"] >= 50


def test_what_a_file_says_of_itself_is_used(tmp_path: Path) -> None:
    metadata = {"vocabulary": [["stone", "rock"], ["cloth"]], "rho": 7.0, "sigma_min": 0.02}
    found = accept(refiner_network(tmp_path / "a.onnx", words=2, metadata=metadata))["refiner"]
    assert found["vocabulary"] == [["stone", "rock"], ["cloth"]]
    assert (found["rho"], found["sigma_min"]) == (7.0, 0.02)


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"keep": 1.2}, "takes no noise away"),
        ({"words": 2}, "vocabulary does not list"),
        ({"words": 2, "metadata": {"vocabulary": [["stone"]]}}, "vocabulary does not list"),
        ({"words": 2, "metadata": {"vocabulary": [["stone"], [""]]}}, "vocabulary does not list"),
        ({"words": 2, "metadata": {"vocabulary": [["stone"], ["  "]]}}, "vocabulary does not list"),
        ({"metadata": {"rho": 0}}, "rho has to be"),
        ({"metadata": {"rho": "x"}}, "rho has to be"),
        ({"metadata": {"sigma_min": None}}, "sigma_min has to be"),
        ({"metadata": {"softening": {}}}, "softening has to be"),
        ({"metadata": {"strength_map": []}}, "strength_map has to be"),
        ({"metadata": {"strength_map": [[0, 0.1], [1, 0.05]]}}, "strength_map has to be"),
        ({"metadata": {"strength_map": [[0, 0.1], [0.5, 0.2]]}}, "strength_map has to be"),
        ({"metadata": {"final_degradation": [[0, 2]]}}, "final_degradation has to be"),
    ],
)
def test_a_refiner_that_breaks_the_contract_is_refused(
    tmp_path: Path, more: dict[str, Any], words: str
) -> None:
    with pytest.raises(Refusal, match=words):
        accept(refiner_network(tmp_path / "a.onnx", **more))


@pytest.mark.parametrize("name", ["degradation", "missing"])
def test_a_refiner_that_takes_degradation_is_recognised_by_its_input(
    tmp_path: Path, name: str
) -> None:
    """Also under the name that files exported before 1.0 have."""
    metadata = {"final_degradation": [[0, 0.5], [1, 0.25]]}
    path = refiner_network(tmp_path / "a.onnx", degradation=name, metadata=metadata)
    found = accept(path)["refiner"]
    assert found["restores_detail"] is True
    assert found["final_degradation"] == [[0, 0.5], [1, 0.25]]
    plain = accept(refiner_network(tmp_path / "b.onnx"))["refiner"]
    assert plain["restores_detail"] is False


@pytest.mark.parametrize(
    "text", ["", "[1, 2]", '{"name": "x"}', '{"name": "x", "kind": "refiner", "refiner": {}}']
)
def test_a_card_that_can_not_be_read_is_passed_over(own: Path, text: str) -> None:
    own.mkdir()
    network(own / "x.onnx")
    (own / "x.json").write_text(text)
    assert "x" not in [entry.name for entry in cards()]
    assert card("grisaille", "refiner")


def test_what_was_added_is_available(tmp_path: Path, own: Path) -> None:
    add_model(refiner_network(tmp_path / "a.onnx"), "plain-glaze", summary="Made up.")
    entry = card("plain-glaze", "refiner")
    assert entry.own
    assert [other.own for other in cards() if other.name != "plain-glaze"].count(True) == 0
    given = np.full((16, 24, 3), 0.25, np.float32)
    estimate = refiner("plain-glaze").predict(given, 0.1, Condition(given))
    np.testing.assert_allclose(estimate[4:12, 4:12], 0.25, atol=1e-3)


def test_names_are_checked_and_nothing_is_left_behind(tmp_path: Path, own: Path) -> None:
    file = network(tmp_path / "a.onnx")
    for name, words in {
        "Glaze": "small letters", "../glaze": "small letters", "lanczos": "already",
    }.items():  # fmt: skip
        with pytest.raises(Refusal, match=words):
            add_model(file, name)
    broken = tmp_path / "b.onnx"
    broken.write_bytes(b"no graph")
    with pytest.raises(Refusal, match="not an ONNX file"):
        add_model(broken, "glaze")
    assert not own.exists() or not list(own.iterdir())


def test_a_file_in_the_folder_waits_until_it_is_added(own: Path) -> None:
    own.mkdir()
    file = network(own / "soft.onnx")
    assert waiting() == [file]
    add_model(file, "soft")
    assert waiting() == []
    assert card("soft", "upscaler").factor == 2


def test_the_command_takes_in_and_lists(
    tmp_path: Path, own: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    file = network(tmp_path / "soft.onnx")
    assert cli.main(["models", "--add", str(file), "--json"]) == 0
    listed = {entry["name"]: entry for entry in json.loads(capsys.readouterr().out)}
    assert listed["soft"]["own"] is True
    assert listed["soft"]["radius"] == 2
    assert cli.main(["models", "--add", str(file)]) == 2
    assert "already" in capsys.readouterr().err


def test_a_file_replaced_under_its_name_is_run_anew(tmp_path: Path, own: Path) -> None:
    add_model(refiner_network(tmp_path / "a.onnx", keep=0.3), "glaze")
    given = np.full((16, 16, 3), 0.25, np.float32)
    noisy = given + np.float32(0.1)
    before, digest = (
        refiner("glaze").predict(noisy, 0.1, Condition(given)),
        card("glaze", "refiner").digest,
    )
    refiner_network(own / "glaze.onnx", keep=0.8)
    after = refiner("glaze").predict(noisy, 0.1, Condition(given))
    assert card("glaze", "refiner").digest != digest
    assert abs(float(after[8, 8, 0] - before[8, 8, 0])) == pytest.approx(0.05, abs=5e-3)
    with pytest.raises(Refusal, match="has changed"):
        refiner("glaze", digest)


def test_networks_that_nobody_runs_are_evicted_and_come_back(tmp_path: Path, own: Path) -> None:
    add_model(refiner_network(tmp_path / "a.onnx"), "glaze")
    denoiser = refiner("glaze")
    given = np.full((16, 16, 3), 0.25, np.float32)
    release_unused(0)
    before = denoiser.predict(given, 0.1, Condition(given))
    assert release_unused(60) == 0
    assert release_unused(0) == 1
    assert (denoiser.predict(given, 0.1, Condition(given)) == before).all()
