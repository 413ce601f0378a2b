"""``enamel remote``: use a running Enamel from the command line."""

import argparse
import json
import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from enamel.cli.files import output_of, output_options, read_json, window
from enamel.cli.remote.client import Client
from enamel.core.errors import Refusal
from enamel.core.export.output import PrintSettings
from enamel.core.fields import to_json

USUAL = "http://127.0.0.1:8750"


def add_remote(remote: argparse.ArgumentParser) -> None:
    """Declare the arguments of `enamel remote`."""
    remote.add_argument(
        "--at", default=os.environ.get("ENAMEL_AT", USUAL), metavar="ADDRESS",
        help="its address; ENAMEL_AT, or this machine's, when left out",
    )  # fmt: skip
    remote.add_argument("--json", action="store_true", help="answers as JSON")
    remote.add_argument("--quiet", action="store_true", help="no progress on standard error")
    commands = remote.add_subparsers(required=True, metavar="COMMAND")

    def command(
        name: str, words: str, run: Callable[[Client, Any], None]
    ) -> argparse.ArgumentParser:
        added = commands.add_parser(name, help=words)
        added.set_defaults(run=lambda given: _with_client(given, run))
        return added

    added = command("pieces", "list pieces", _pieces)
    added.add_argument("words", nargs="*")
    added.add_argument("--count", type=int, default=20)

    added = command("import", "import pictures", _import)
    added.add_argument("files", nargs="+", type=Path, metavar="FILE")

    added = command("fire", "fire a schedule on a piece, or on a file that is imported", _fire)
    added.add_argument("piece", metavar="PIECE|FILE")
    added.add_argument(
        "--schedule", type=Path, metavar="FILE.json", help="default: the piece's current one"
    )
    added.add_argument("--layer", help="on this layer; else on the base")
    added.add_argument("--output", type=Path, metavar="OUT", help="wait, and take the result away")
    output_options(added)

    added = command("swatch", "try the schedule's last coat on a window", _swatch)
    added.add_argument("piece", metavar="PIECE")
    added.add_argument("out", type=Path, metavar="FOLDER", help="for the swatches, as PNG")
    added.add_argument("--window", type=window, required=True, metavar="X,Y,W,H")
    added.add_argument(
        "--schedule", type=Path, metavar="FILE.json", help="default: the piece's current one"
    )
    added.add_argument(
        "--vary", action="append", default=[], metavar="SETTING=VALUES",
        help="as in strength=0.2,0.3 or seed=1,2; at most twice",
    )  # fmt: skip

    added = command("check", "what the checks of a layer came to", _check)
    added.add_argument("layer", metavar="LAYER")

    added = command("compare", "measures of two to six layers", _compare)
    added.add_argument("layers", nargs="+", metavar="LAYER")

    added = command("take", "a layer as a print file", _take)
    added.add_argument("layer", metavar="LAYER")
    added.add_argument("output", type=Path, metavar="OUT")
    output_options(added)

    added = command("batch", "pieces or files through one schedule", _batch)
    added.add_argument("pieces", nargs="+", metavar="PIECE|FILE")
    added.add_argument("--schedule", type=Path, required=True, metavar="FILE.json")
    added.add_argument("--name", default="Batch")
    added.add_argument("--wait", action="store_true", help="until it has ended")


def _with_client(given: argparse.Namespace, run: Callable[[Client, Any], None]) -> None:
    token = os.environ.get("ENAMEL_TOKEN", "")
    if not token:
        raise Refusal("Put a token into ENAMEL_TOKEN; the page Preferences, Scripts makes one.")
    last = ""

    def on_progress(words: str) -> None:
        nonlocal last
        if words != last and not given.quiet:
            print(words, file=sys.stderr, flush=True)
            last = words

    with Client(given.at, token, on_progress) as client:
        run(client, given)


def _show(given: Any, found: Any, *lines: str) -> None:
    """Print an answer, as JSON or in lines."""
    print(json.dumps(found, indent=2) if given.json else "\n".join(lines))


def _pieces(client: Client, given: Any) -> None:
    found = client.pieces(" ".join(given.words), given.count)
    lines = [
        f"{one['id']}  {one['base']['width']} × {one['base']['height']}  {one['title']}"
        for one in found
    ]
    _show(given, found, *lines)


def _import(client: Client, given: Any) -> None:
    found = [client.bring(path) for path in given.files]
    _show(given, found, *(f"{one['id']}  {one['title']}" for one in found))


def _piece_of(client: Client, named: str) -> str:
    """Return the id of a piece; a file of that name is imported first."""
    return str(client.bring(Path(named))["id"]) if Path(named).is_file() else named


def _schedule_of(given: Any) -> Any:
    return read_json(given.schedule) if given.schedule else None


def _fire(client: Client, given: Any) -> None:
    # settings that can't be written are refused before anything is fired
    settings = to_json(PrintSettings(output_of(given))) if given.output else None
    firing = client.fire(_piece_of(client, given.piece), _schedule_of(given), given.layer)
    if settings is not None:
        firing = client.fired(firing)
        client.take(firing["result"], given.output, settings | {"ppi": given.ppi})
    _show(
        given, firing, f"{firing['id']}  {firing['state']}  layer {firing['result'] or 'to come'}"
    )


def _swatch(client: Client, given: Any) -> None:
    box = given.window
    wanted = {
        "schedule": _schedule_of(given), "window": [box.x, box.y, *box.size],
        "vary": [_varied(text) for text in given.vary],
    }  # fmt: skip
    sheet = client.swatches(given.piece, wanted)
    given.out.mkdir(parents=True, exist_ok=True)
    lines = []
    for swatch in sheet["swatches"]:
        path = given.out / f"swatch-{swatch['row']}-{swatch['column']}.png"
        if swatch["state"] == "done":
            client.download(f"swatches/{swatch['number']}.png", path)
        lines.append(f"{path}  {swatch['label']}  {swatch['state']} {swatch['error']}".rstrip())
    _show(given, sheet, *lines)


def _varied(text: str) -> dict[str, str]:
    name, equals, values = text.partition("=")
    if not equals:
        raise Refusal(f"{text!r} is not SETTING=VALUES, as in strength=0.2,0.3.")
    return {"setting": name.strip(), "values": values}


def _check(client: Client, given: Any) -> None:
    found = client.checks(given.layer)
    lines = [f"{name}  {value:g}" for name, value in found["measures"].items()]
    _show(given, found, found["verdict"], *lines)


def _compare(client: Client, given: Any) -> None:
    rows = client.compare(given.layers)
    lines = []
    for row in rows:
        values = "  ".join("–" if value is None else f"{value:g}" for value in row["values"])
        lines.append(f"{row['measure']:16}{values}  {row['unit']}".rstrip())
    _show(given, rows, *lines)


def _take(client: Client, given: Any) -> None:
    settings = to_json(PrintSettings(output_of(given)))
    client.take(given.layer, given.output, settings | {"ppi": given.ppi})
    _show(given, {"output": str(given.output)}, str(given.output))


def _batch(client: Client, given: Any) -> None:
    treatment = {"schedule": _schedule_of(given)}
    pieces = [_piece_of(client, named) for named in given.pieces]
    batch = client.batch({"name": given.name, "pieces": pieces, "treatment": treatment})
    if given.wait:
        batch = client.batch_done(batch)
    lines = [
        f"{item['source']}  {item['state']}  {item['result'] or item['reason']}".rstrip()
        for item in batch["items"]
    ]
    _show(given, batch, f"{batch['id']}  {batch['name']}", *lines)


ARGUMENTS = {"remote": add_remote}
