"""Mails put among drafts: into a mailbox file (RFC 4155), or a folder of a server (IMAP4rev2, RFC 9051)."""

from __future__ import annotations

import imaplib
import re
import ssl
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from datetime import datetime
from pathlib import Path

from tinquire.base.atomic_files import open_atomic
from tinquire.base.faults import AccessError, Fault
from tinquire.post.delivery import AnswerLostError, MailServer, dated, headers_of, recipients

__all__ = ["DraftFolder", "add_to_mailbox", "draft_folder"]

_PATIENCE = 30.0
#: A line that would begin another message of a mailbox file (RFC 4155, appendix A).
_FROM = re.compile(rb"(?m)^(>*From )")


def add_to_mailbox(path: Path, mails: Sequence[bytes], at: datetime) -> None:
    """Add messages to a mailbox file, all or none of them; what is in it stays. Raises AccessError."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        before = path.read_bytes() if path.exists() else b""
    except OSError as error:
        why = (error.strerror or str(error)).strip()
        do = "close it in the mail program, or name another file"
        raise AccessError(Fault("putting mails among drafts", f"{why[:1].lower()}{why[1:]}", str(path), do)) from None
    with open_atomic(path) as stream:
        stream.write(before)
        if before and not before.endswith(b"\n\n"):
            stream.write(b"\n" if before.endswith(b"\n") else b"\n\n")
        for mail in mails:
            sender = recipients(headers_of(mail), ("From",))[0]
            lines = dated(mail, at).replace(b"\r\n", b"\n")
            stream.write(b"From %s %s\n" % (sender.encode(), f"{at:%a %b %d %H:%M:%S %Y}".encode()))
            stream.write(_FROM.sub(rb">\1", lines).rstrip(b"\n") + b"\n\n")


class DraftFolder:
    """A folder of a server, open."""

    def __init__(self, client: imaplib.IMAP4, server: MailServer, folder: str) -> None:
        self._client, self._server = client, server
        # Letters beyond ASCII are written as servers without IMAP4rev2 want them (RFC 3501, 5.1.3).
        self._folder = '"' + _utf7(folder).replace("\\", "\\\\").replace('"', '\\"') + '"'

    def add(self, data: bytes, at: datetime) -> None:
        """Put one message there. Raises AccessError when it was not taken, AnswerLostError when nobody knows."""
        try:
            answer, words = self._client.append(
                self._folder, "(\\Draft)", imaplib.Time2Internaldate(at.timestamp()), dated(data, at)
            )
        except (imaplib.IMAP4.abort, OSError) as error:
            why = f"the server was given the mail and did not answer: {error}"
            raise AnswerLostError(_fault(self._server, why)) from None
        except imaplib.IMAP4.error as error:
            raise AccessError(_fault(self._server, f"the server did not take the mail: {_said(error)}")) from None
        if answer != "OK":
            raise AccessError(_fault(self._server, f"the server did not take the mail: {_said(*words)}"))


@contextmanager
def draft_folder(server: MailServer, folder: str) -> Iterator[DraftFolder]:
    """Connect to a server and log in. Raises AccessError, and UseError for an unsafe login."""
    server.require_safe_login()
    client: imaplib.IMAP4 | None = None
    try:
        if server.security == "tls":
            context = ssl.create_default_context()
            client = imaplib.IMAP4_SSL(server.host, server.port, timeout=_PATIENCE, ssl_context=context)
        else:
            client = imaplib.IMAP4(server.host, server.port, timeout=_PATIENCE)
        if server.security == "starttls":
            client.starttls(ssl.create_default_context())
        client.login(server.user or "", server.password or "")
    except (imaplib.IMAP4.error, OSError) as error:
        if client is not None:
            with suppress(imaplib.IMAP4.error, OSError):
                client.shutdown()
        raise AccessError(_fault(server, f"no connection: {_said(error)}")) from None
    try:
        yield DraftFolder(client, server, folder)
    finally:
        with suppress(imaplib.IMAP4.error, OSError):
            client.logout()


def _utf7(name: str) -> str:
    """A folder's name in modified UTF-7 (RFC 3501, 5.1.3)."""
    import base64

    def packed(match: re.Match[str]) -> str:
        text = base64.b64encode(match[0].encode("utf-16-be")).decode().rstrip("=").replace("/", ",")
        return f"&{text}-"

    return re.sub(r"[^\x20-\x7e]+", packed, name.replace("&", "&-"))


def _said(*words: object) -> str:
    told = [word.decode(errors="replace") if isinstance(word, bytes) else str(word) for word in words]
    return "; ".join(told).removeprefix("b'").removesuffix("'") or "it did not say why"


def _fault(server: MailServer, why: str) -> Fault:
    return Fault(
        "putting mails among drafts", why, str(server), "check [drafts] in the docket, and that the server runs"
    )
