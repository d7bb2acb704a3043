"""tinquire docket: the docket's schema, for editors that complete and check it."""

from __future__ import annotations

import argparse
import json

from tinquire.cli.support.terminal import Terminal

EXAMPLE = "tinquire docket --schema > docket.schema.json"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--schema", action="store_true", required=True, help="print the JSON Schema")


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.docket.schema.docket import json_schema

    terminal.plain(json.dumps(json_schema(), indent=2))
    return 0
