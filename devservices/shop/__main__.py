"""``python -m devservices.shop --port PORT --folder FOLDER``: serve the shop."""

import argparse
from pathlib import Path

from devservices.http import Mode
from devservices.shop.server import Server
from devservices.shop.service import Service


def main() -> None:
    parser = argparse.ArgumentParser(
        prog="devservices.shop", description="A print shop on loopback."
    )
    parser.add_argument("--port", type=int, required=True)
    parser.add_argument("--folder", type=Path, required=True)
    parser.add_argument(
        "--slow", type=float, default=0.6, help="seconds that a look at a file takes"
    )
    parser.add_argument(
        "--mode", type=Mode, choices=list(Mode), default=Mode.NORMAL, help="how it misbehaves"
    )
    given = parser.parse_args()
    service = Service(given.folder, slow=given.slow)
    Server(given.port, service, mode=given.mode).serve_forever()


if __name__ == "__main__":
    main()
