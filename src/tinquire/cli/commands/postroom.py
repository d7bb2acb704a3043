"""tinquire postroom: the stand-in mail server."""

from __future__ import annotations

import argparse
import time
from pathlib import Path

from tinquire.cli.support.terminal import Terminal

EXAMPLE = "tinquire postroom --folder postroom --port 2525"
DEFAULT_PORT = 2525


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--folder", type=Path, default=Path("postroom"), help="where mails are kept (postroom)")
    parser.add_argument("--port", type=int, default=DEFAULT_PORT, help=f"the port on loopback ({DEFAULT_PORT}; 0: any)")


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.post.postroom import HOST, postroom

    with postroom(options.folder, options.port) as (keeper, port):
        terminal.line("open", f"on {HOST}, port {port}; mails are kept in {options.folder}; Ctrl+C closes it")
        told = 0
        try:
            while True:
                time.sleep(0.2)
                for path in keeper.kept[told:]:
                    terminal.line("kept", path.name)
                told = len(keeper.kept)
        except KeyboardInterrupt:
            terminal.line("closed", f"{told} {'mail' if told == 1 else 'mails'} kept")
    return 0
