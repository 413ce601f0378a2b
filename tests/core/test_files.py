"""Files that are whole or not there."""

import os
from pathlib import Path

import pytest

from enamel.core import files
from enamel.core.files import put_in_place, whole_file


def test_what_ends_badly_leaves_the_file_as_it_was(tmp_path: Path) -> None:
    path = tmp_path / "deep" / "layer.npy"
    with whole_file(path) as partial:
        partial.write_text("first")

    def break_off() -> None:
        with whole_file(path) as partial:
            partial.write_text("half of the sec")
            raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        break_off()
    assert path.read_text() == "first"
    assert list(path.parent.iterdir()) == [path]


def test_two_writers_of_one_file_do_not_meet(tmp_path: Path) -> None:
    path = tmp_path / "part.npy"
    with whole_file(path) as one, whole_file(path) as other:
        one.write_text("one")
        other.write_text("other")
        assert one != other
    assert path.read_text() == "one"  # the outer block ends last
    assert list(tmp_path.iterdir()) == [path]


def test_content_is_on_the_disk_before_the_name_is(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    done: list[str] = []
    replace = os.replace

    def settle(path: Path) -> None:
        done.append(f"settle {path.name}")

    def renamed(source: Path, target: Path) -> None:
        done.append("rename")
        replace(source, target)

    monkeypatch.setattr(files, "settle", settle)
    monkeypatch.setattr(files.os, "replace", renamed)
    (tmp_path / "a.part").write_text("whole")
    put_in_place(tmp_path / "a.part", tmp_path / "a.npy")
    assert done == ["settle a.part", "rename", f"settle {tmp_path.name}"]
