"""The house: studio on kiln on core, nothing points back, and every room says what is in it."""

import ast
import importlib
import importlib.util
from collections.abc import Iterator
from pathlib import Path

import pytest

import enamel

HOUSE = Path(enamel.__file__).parent
FLOORS = ["core", "kiln", "api", "studio"]
SCRIPTS = sorted(
    path
    for path in (HOUSE.parent / "bin").iterdir()
    if path.read_text().startswith("#!/usr/bin/env python3")
)
ROOMS = sorted(
    path.parent
    for floor in FLOORS
    for path in (HOUSE / floor).rglob("__init__.py")
    if path.parent.name not in {"migrations", "management", "commands", "templatetags"}
    and path.parent.parent.name in FLOORS
)


def imported(file: Path) -> Iterator[str]:
    """Modules of Enamel that a file imports."""
    for node in ast.walk(ast.parse(file.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module:
            yield node.module
        elif isinstance(node, ast.Import):
            yield from (name.name for name in node.names)


@pytest.mark.parametrize("floor", FLOORS)
def test_nothing_points_back(floor: str) -> None:
    above = tuple(f"enamel.{name}" for name in FLOORS[FLOORS.index(floor) + 1 :])
    outside = ("django", "procrastinate") if floor == "core" else ()
    for file in (HOUSE / floor).rglob("*.py"):
        for module in imported(file):
            assert not module.startswith((*above, *outside)), f"{file} imports {module}"


def test_stand_ins_stand_alone() -> None:
    uses = {"shop": ("enamel.shop", "enamel.counters"),
            "remote": ("enamel.cli.remote", "enamel.core"),
            "bureau": ("enamel.bureau", "enamel.counters", "enamel.core")}  # fmt: skip
    for name, known in uses.items():
        for file in (HOUSE / name).rglob("*.py"):
            for module in imported(file):
                assert not module.startswith("enamel.") or module.startswith(known), file
    alone = ("enamel.shop", "enamel.bureau", "enamel.cli.remote")
    for floor in FLOORS:
        for file in (HOUSE / floor).rglob("*.py"):
            assert not any(module.startswith(alone) for module in imported(file)), file


@pytest.mark.parametrize("room", ROOMS, ids=lambda room: f"{room.parent.name}/{room.name}")
def test_a_room_says_in_a_sentence_what_it_is_and_lists_what_is_in_it(room: Path) -> None:
    name = ".".join(("enamel", *room.relative_to(HOUSE).parts))
    package = importlib.import_module(name)
    assert package.__doc__
    assert "." in package.__doc__
    inside = {file.stem for file in room.glob("*.py")} - {"__init__", "__main__"}
    named = set(package.__all__)
    modules = named & inside
    assert modules in (set(), inside), f"{name} forgets {inside - modules}"
    assert all(hasattr(package, one) for one in named - inside)


@pytest.mark.parametrize("script", SCRIPTS, ids=lambda path: path.name)
def test_what_the_commands_import_is_there(script: Path) -> None:
    for node in ast.walk(ast.parse(script.read_text())):
        if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("enamel"):
            module = importlib.import_module(str(node.module))
            for name in node.names:
                there = hasattr(module, name.name)
                assert there or importlib.util.find_spec(f"{node.module}.{name.name}"), name.name
