"""``python -m devservices.bureau --port PORT --folder FOLDER --key-file FILE``: serve the bureau."""

import argparse
from pathlib import Path

from devservices.bureau.server import Server
from devservices.bureau.service import Service
from devservices.http import Mode


def main() -> None:
    parser = argparse.ArgumentParser(
        prog="devservices.bureau", description="A hired renderer on loopback."
    )
    parser.add_argument("--port", type=int, required=True)
    parser.add_argument("--folder", type=Path, required=True)
    parser.add_argument(
        "--key-file", type=Path, required=True, help="file with the key of the house's account"
    )
    parser.add_argument(
        "--mode", type=Mode, choices=list(Mode), default=Mode.NORMAL, help="how it misbehaves"
    )
    given = parser.parse_args()
    key = given.key_file.read_text().strip()
    Server(given.port, Service(given.folder), key, mode=given.mode).serve_forever()


if __name__ == "__main__":
    main()
