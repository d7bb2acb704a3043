"""One run at a time in a job's folder, and who holds it."""

from __future__ import annotations

import os
import platform
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from tinquire.base.faults import AccessError, Fault

__all__ = ["held_for"]

_LOCK, _HOLDER = ".run.lock", ".run.holder"
#: How long another run is waited for, in seconds.
_PATIENCE = 30.0


@contextmanager
def held_for(base: Path, what: str, since: str) -> Iterator[None]:
    """Nobody else makes a pack in this folder meanwhile. `what` and `since` tell those who wait who it is.

    Raises AccessError, with what the other one does, when it takes too long, or when the folder cannot be written.
    """
    from filelock import FileLock, Timeout

    lock, holder = FileLock(base / _LOCK), base / _HOLDER
    try:
        lock.acquire(timeout=_PATIENCE)
    except Timeout:
        try:
            who = holder.read_text("utf-8").strip()
        except (OSError, UnicodeDecodeError):
            who = "another process"
        raise AccessError(
            Fault(what, f"{who} is at work in this folder", str(base), "wait until it is done, and try again")
        ) from None
    except OSError as error:
        why = (error.strerror or str(error)).strip()
        do = "make the folder writable"
        raise AccessError(Fault(what, f"{why[:1].lower()}{why[1:]}", str(base), do)) from None
    try:
        # Who holds it is told to those who wait; on a full disk it is not, and the run says what is wrong.
        with suppress(OSError):
            holder.write_text(f"process {os.getpid()} on {platform.node()} ({what}, since {since})", "utf-8")
        yield
    finally:
        with suppress(OSError):
            holder.unlink(missing_ok=True)
        lock.release()
