"""The stand-in mail server: takes every mail on this machine's loopback, and keeps it in a folder."""

from __future__ import annotations

import email
import re
import socket
from collections.abc import Iterator
from contextlib import contextmanager
from email.policy import default
from pathlib import Path
from typing import Any

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import Envelope

from tinquire.base.faults import AccessError, Fault

__all__ = ["HOST", "Postroom", "postroom"]

#: Never another address: a stand-in must not become an open relay.
HOST = "127.0.0.1"
#: Larger messages are refused, as real servers do.
MAX_MESSAGE = 64 << 20


class Postroom:
    """Keeps each mail as a numbered message file, its envelope in two headers on top."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.kept: list[Path] = []
        folder.mkdir(parents=True, exist_ok=True)

    async def handle_DATA(self, server: Any, session: Any, envelope: Envelope) -> str:  # noqa: N802 - aiosmtpd's name
        content = envelope.content or b""
        data = content if isinstance(content, bytes) else content.encode()
        subject = str(email.message_from_bytes(data, policy=default)["Subject"] or "no subject")
        name = re.sub(r"[^\w .-]", "-", subject)[:60].strip(" .")
        head = f"X-Envelope-From: {envelope.mail_from}\r\nX-Envelope-To: {', '.join(envelope.rcpt_tos)}\r\n"
        number = 1 + len(list(self.folder.glob("*.eml")))
        path = self.folder / f"{number:04d} {name}.eml"
        path.write_bytes(head.encode() + data)
        self.kept.append(path)
        return "250 kept"


@contextmanager
def postroom(folder: Path, port: int) -> Iterator[tuple[Postroom, int]]:
    """Run the server beside the caller; port 0 takes any free one. Gives the keeper and the port in use.

    Raises: AccessError when the port is taken or the folder cannot be written.
    """
    controller: Controller | None = None
    try:
        keeper = Postroom(folder)
        # aiosmtpd finds out that it started by connecting to its own port, so it must know the number.
        port = port or _free_port()
        controller = Controller(keeper, hostname=HOST, port=port, data_size_limit=MAX_MESSAGE)
        controller.start()
    except OSError as error:
        if controller is not None:
            controller.loop.close()  # a start that failed leaves its event loop open
        why = error.strerror or str(error)
        raise AccessError(
            Fault("opening the postroom", why, f"{HOST}:{port}, {folder}", "choose another --port or --folder")
        ) from None
    try:
        yield keeper, port
    finally:
        controller.stop()


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind((HOST, 0))
        return int(probe.getsockname()[1])
