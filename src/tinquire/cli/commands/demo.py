"""tinquire demo: the demo job laid out, its pack made, its mails sent to the stand-in server."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from importlib.resources import files
from importlib.resources.abc import Traversable
from pathlib import Path

from tinquire.base.faults import Fault, UseError
from tinquire.cli.commands.run import make_pack, short_path, tell_pack
from tinquire.cli.commands.send import deliver_files, send_outbox
from tinquire.cli.support.terminal import Terminal

EXAMPLE = "tinquire demo larkfold"
PERIOD = "2026-10"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("folder", nargs="?", type=Path, default=Path("larkfold"), help="the folder for it (larkfold)")
    parser.add_argument("--rows", type=int, metavar="N", help="about this many pickups a month, to test speed")


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    folder: Path = options.folder
    kept = lay_out(folder, options.rows)
    terminal.heading(f"Larkfold Linen, a made-up job, in {folder}")
    terminal.line("job", f"{folder / 'docket.toml'} says how the pack is made; {folder / 'house.toml'} how it looks")
    for path in kept:
        terminal.line("kept", f"{path}, which differs from the demo's own")
    terminal.plain()
    pack = make_pack(folder / "docket.toml", PERIOD, None, terminal)
    if pack is not None:
        tell_pack(pack, terminal)
    terminal.plain()
    _send(pack, folder, terminal)
    terminal.plain()
    if pack is not None:
        terminal.line("open", f"first {short_path(pack.first_to_open)}")
    terminal.line("", f"then a mail in {folder / 'postroom'}")
    command, how = _command()
    terminal.line("try", f"{command} run {folder / 'docket.toml'} --period 2026-11")
    for number, line in enumerate(how):
        terminal.line("command" if number == 0 else "", line)
    return 0


def _command() -> tuple[str, list[str]]:
    """The command as it is to be typed here; and where it lies and how it gets onto the path, if it is not there."""
    import shutil
    import sys

    here = Path(sys.argv[0]).absolute()
    known = shutil.which("tinquire")
    if known is not None or here.stem != "tinquire":
        return "tinquire", []
    shown = here.relative_to(Path.cwd()).as_posix() if here.is_relative_to(Path.cwd()) else str(here)
    way = f'$env:Path = "{here.parent};$env:Path"' if sys.platform == "win32" else f'export PATH="{here.parent}:$PATH"'
    return shown, [f"{shown} is where it lies", f"{way}   puts it on the path of this terminal"]


def lay_out(folder: Path, rows: int | None = None) -> list[Path]:
    """Write the job's files where they are missing. Returns those that were there and differ: they are kept.

    Raises: UseError when the folder holds something else.
    """
    if folder.exists() and any(folder.iterdir()) and not (folder / "docket.toml").exists():
        why = "it is not empty, and has no docket"
        raise UseError(Fault("laying the demo out", why, str(folder), "name another folder"))
    contents = dict(_shipped_files(files("tinquire.larkfold") / "job"))
    if rows is not None:
        from tinquire.larkfold.make import job_files

        contents.update(job_files(rows))
    kept = []
    for name, content in contents.items():
        path = folder / name
        if not path.exists():
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(content)
        elif path.read_bytes() != content:
            kept.append(path)
    return kept


def _shipped_files(folder: Traversable, prefix: str = "") -> Iterator[tuple[str, bytes]]:
    for entry in sorted(folder.iterdir(), key=lambda item: item.name):
        if entry.is_dir():
            yield from _shipped_files(entry, f"{prefix}{entry.name}/")
        else:
            yield f"{prefix}{entry.name}", entry.read_bytes()


def _send(pack: object, folder: Path, terminal: Terminal) -> None:
    """Send the mails to a stand-in server that is opened for the moment."""
    from tinquire.docket import load_docket, parse_period
    from tinquire.post import MailServer
    from tinquire.post.postroom import HOST, postroom

    docket = load_docket(folder / "docket.toml")
    with postroom(folder / "postroom", 0) as (keeper, port):
        _, told = send_outbox(docket, parse_period(PERIOD), MailServer(HOST, port), terminal)
        if keeper.kept:
            terminal.line("", f"kept in {folder / 'postroom'} by the test server")
        deliver_files(docket, parse_period(PERIOD), terminal)
        terminal.answer(told)
