"""A PostgreSQL server for as long as it is needed, on a free port of this machine."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

PASSWORD = "harbour"


def programs() -> Path | None:
    """The folder of PostgreSQL's programs, where Debian puts them; None when it is not installed."""
    known = shutil.which("initdb")
    found = [Path(known).parent] if known else sorted(Path("/usr/lib/postgresql").glob("*/bin"))
    return found[-1] if found else None


@contextmanager
def served(folder: Path) -> Iterator[str | None]:
    """The server's URL, without the password of its user; None when there is no such program."""
    tools = programs()
    if tools is None:
        yield None
        return
    runner = []
    if os.geteuid() == 0:  # the server refuses to run as root
        shutil.chown(folder, "postgres")
        for parent in folder.parents[:3]:
            parent.chmod(parent.stat().st_mode | 0o011)
        runner = ["runuser", "-u", "postgres", "--"]
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    data = folder / "data"

    def run(*words: object) -> None:
        subprocess.run([*runner, *map(str, words)], check=True, capture_output=True, cwd=folder, timeout=120)

    (folder / "word").write_text(PASSWORD)
    run(tools / "initdb", "-D", data, "-U", "till", "-A", "scram-sha-256", "--pwfile", folder / "word", "-E", "UTF8")
    settings = f"-h 127.0.0.1 -p {port} -k {folder} -c fsync=off"
    run(tools / "pg_ctl", "-D", data, "-w", "-l", folder / "log", "-o", settings, "start")
    try:
        yield f"postgresql+psycopg://till@127.0.0.1:{port}/postgres"
    finally:
        run(tools / "pg_ctl", "-D", data, "-m", "immediate", "stop")
