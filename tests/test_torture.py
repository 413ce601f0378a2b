"""The torture of pictures finds what it looks for, and makes it again."""

import time
from pathlib import Path

import pytest

from enamel.core.errors import Refusal
from tools import torture
from tools.torture import Results, corpus, mutated, pictures, read


@pytest.fixture(scope="module")
def originals(tmp_path_factory: pytest.TempPathFactory) -> list[Path]:
    return corpus(tmp_path_factory.mktemp("corpus"))


def test_every_original_can_be_read(originals: list[Path], tmp_path: Path) -> None:
    assert [read(path, tmp_path / "x.npy") for path in originals] == ["read"] * len(originals)


def test_the_same_seed_makes_the_same_pictures(originals: list[Path]) -> None:
    data = [path.read_bytes() for path in originals]
    first = [mutated(data, 5, number) for number in range(40)]
    assert [mutated(data, 5, number) for number in range(40)] == first
    assert [mutated(data, 6, number) for number in range(40)] != first
    assert all(changed != data[place] for place, changed in first[:1])


def test_an_error_without_a_sentence_is_a_fault(
    originals: list[Path], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def breaks(*_: object) -> None:
        raise ZeroDivisionError("inside a decoder")

    monkeypatch.setattr(torture, "examine", breaks)
    found = read(originals[0], tmp_path / "x.npy")
    assert found == "ZeroDivisionError: inside a decoder"
    results = Results()
    results.add(7, found, 0.1)
    assert results.faults == {7: found}

    def refuses(*_: object) -> None:
        raise Refusal("This is not a picture.")

    monkeypatch.setattr(torture, "examine", refuses)
    assert read(originals[0], tmp_path / "x.npy") == "refused"


def _hang(paths: object, seed: int, numbers: range, folder: object, report: object) -> None:
    report.send((numbers[0], ""))  # type: ignore[attr-defined]
    time.sleep(60)


def _die(paths: object, seed: int, numbers: range, folder: object, report: object) -> None:
    report.send((numbers[0], ""))  # type: ignore[attr-defined]
    raise SystemExit(9)


@pytest.mark.parametrize(
    ("ends", "words"), [(_hang, "hangs for 6 s"), (_die, "the process died with 9")]
)
def test_a_process_that_hangs_or_dies_is_a_fault_and_the_next_picture_is_tried(
    ends: object, words: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(torture, "read_many", ends)
    monkeypatch.setattr(torture, "HANG_SECONDS", 6.0)
    results = pictures(2, 1, tmp_path / "kept")
    assert results.faults == {0: words, 1: words}
    assert len(list((tmp_path / "kept").iterdir())) == 2


def test_pictures_are_read_batch_by_batch(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(torture, "BATCH", 6)
    results = pictures(12, 1, None)
    assert results.faults == {}
    assert results.counts["read"] + results.counts["refused"] == 12
