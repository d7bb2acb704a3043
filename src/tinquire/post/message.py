"""Mails as standard message files (RFC 5322, MIME: RFC 2045-2049, RFC 2231 for file names)."""

from __future__ import annotations

import base64
import hashlib
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from email.headerregistry import Address
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime

import numpy as np

from tinquire.post.bodies import Body, BodyStyle, body_html, body_text, pictures_of

__all__ = [
    "Attachment",
    "Mail",
    "base64_lines",
    "check_mail",
    "encoded_size",
    "in_domains",
    "mail_bytes",
    "mail_pieces",
    "parse_address",
]

_ADDRESS = re.compile(r"[^\s<>,;:\"()\[\]\\@]+@[A-Za-z0-9](?:[A-Za-z0-9.-]*[A-Za-z0-9])?\Z")
#: RFC 5321, 4.5.3.1: a local part of 64 and a domain of 255 characters.
_LONGEST_ADDRESS = 320
_CONTROL = re.compile(r"[\x00-\x1f\x7f\x85\u2028\u2029]")
#: RFC 2045, 6.8: no line of base64 is longer.
_LINE = 76
#: Bytes encoded at a time: whole lines of 57 each, within the processor's cache.
_BLOCK = 57 << 13
_TYPES = {
    ".xlsx": ("application", "vnd.openxmlformats-officedocument.spreadsheetml.sheet"),
    ".docx": ("application", "vnd.openxmlformats-officedocument.wordprocessingml.document"),
    ".pdf": ("application", "pdf"),
    ".csv": ("text", "csv"),
    ".html": ("text", "html"),
    ".png": ("image", "png"),
    ".zip": ("application", "zip"),
}


@dataclass(frozen=True, slots=True)
class Attachment:
    """A file that goes with a mail: its name, and its content or what gives that in pieces, with its size in bytes."""

    name: str
    content: bytes | Callable[[], Sequence[bytes]]
    stated_size: int | None = None

    @property
    def data(self) -> bytes:
        return self.content if isinstance(self.content, bytes) else b"".join(self.content())

    @property
    def size(self) -> int:
        return len(self.data) if self.stated_size is None else self.stated_size

    def lines(self) -> bytes:
        """The content in lines of base64."""
        return base64_lines(self.data)


@dataclass(frozen=True, slots=True)
class Mail:
    """What a mail says, before it is put into standard form. Addresses are checked when it is built."""

    identity: str
    sender: Address
    to: tuple[Address, ...]
    subject: str
    body: Body | str
    date: datetime
    cc: tuple[Address, ...] = ()
    #: Recipients whom the others are not to see: they are named in the outbox, and not in what is sent.
    bcc: tuple[Address, ...] = ()
    reply_to: Address | None = None
    attachments: tuple[Attachment, ...] = ()
    body_style: BodyStyle = field(default_factory=BodyStyle)
    #: How soon it should be read: 'high', 'normal' or 'low' (RFC 2156, 5.3.4).
    importance: str = "normal"


def parse_address(name: str, address: str) -> Address:
    """An address with the name it is shown under. Raises ValueError for what cannot be one, so that no text from a
    source can bring in a second recipient or a header."""
    bare = address.strip()
    if not _ADDRESS.match(bare) or len(bare) > _LONGEST_ADDRESS or ".." in bare:
        raise ValueError(f"'{bare}' is not an e-mail address")
    if _CONTROL.search(name):
        raise ValueError("the name holds a line break or another control character")
    return Address(display_name=name.strip().strip('"'), addr_spec=bare)


def in_domains(address: str, allowed: Sequence[str]) -> bool:
    """Whether an address is in one of some domains or below it; any is where none is named."""
    domain = address.rpartition("@")[2].casefold()
    names = [name.casefold().lstrip("@.") for name in allowed]
    return not names or any(domain == name or domain.endswith(f".{name}") for name in names)


def check_mail(mail: Mail) -> None:
    """Whether a message can be made of a mail. Raises ValueError for a subject or file name with control characters."""
    if _CONTROL.search(mail.subject):
        raise ValueError("the subject holds a line break or another control character")
    for attachment in mail.attachments:
        if _CONTROL.search(attachment.name):
            raise ValueError(f"the file name {attachment.name!r} holds a control character")


def mail_bytes(mail: Mail) -> bytes:
    """The message file's bytes. Raises ValueError as `check_mail`."""
    return b"".join(mail_pieces(mail))


def base64_lines(data: bytes) -> bytes:
    """Base64 in lines of 76 characters, each ended (RFC 2045, 6.8)."""
    return b"".join(_block_lines(data[start : start + _BLOCK]) for start in range(0, len(data), _BLOCK))


def encoded_size(size: int) -> int:
    """How many bytes so many take in base64, with the ends of lines."""
    letters = -(-size // 3) * 4
    return letters + 2 * -(-letters // _LINE)


def mail_pieces(mail: Mail, encode: Callable[[Attachment], bytes] = Attachment.lines) -> list[bytes]:
    """The message file's bytes in pieces, lines ended as RFC 5322 asks; the same mail gives the same bytes.

    `encode` is for who has the lines of an attachment already. Raises ValueError as `check_mail`.
    """
    check_mail(mail)
    message = EmailMessage(policy=SMTP)
    message["From"] = mail.sender
    message["To"] = mail.to
    if mail.cc:
        message["Cc"] = mail.cc
    if mail.bcc:
        message["Bcc"] = mail.bcc
    if mail.reply_to:
        message["Reply-To"] = mail.reply_to
    message["Subject"] = mail.subject
    message["Date"] = format_datetime(mail.date)
    message["Message-ID"] = mail.identity
    if mail.importance != "normal":
        message["Importance"] = mail.importance
    message.set_content(body_text(mail.body))
    pictures = pictures_of(mail.body)
    known = [_picture_identity(mail, number) for number in range(len(pictures))]
    message.add_alternative(body_html(mail.body, mail.body_style, known), subtype="html")
    page = message.get_payload()[1]  # type: ignore[index]
    for picture, identity in zip(pictures, known, strict=True):
        page.add_related(picture.data, "image", "png", cid=f"<{identity}>", disposition="inline")  # type: ignore[union-attr]
    for number, attachment in enumerate(mail.attachments):
        ending = attachment.name[attachment.name.rfind(".") :].lower()
        main, sub = _TYPES.get(ending, ("application", "octet-stream"))
        mark = _stand_in(mail, number)
        message.add_attachment(mark, maintype=main, subtype=sub, filename=attachment.name)
    _fix_boundaries(message, mail.identity)
    return _with_contents(message.as_bytes(), mail, encode)


def _picture_identity(mail: Mail, number: int) -> str:
    """The Content-ID of a picture (RFC 2392), which the same mail always has."""
    return f"{hashlib.sha256(f'{mail.identity} picture {number}'.encode()).hexdigest()[:24]}@{mail.sender.domain}"


def _stand_in(mail: Mail, number: int) -> bytes:
    """What stands for an attachment's content while the message is put together."""
    return hashlib.sha256(f"{mail.identity} attachment {number}".encode()).digest()


def _with_contents(message: bytes, mail: Mail, encode: Callable[[Attachment], bytes]) -> list[bytes]:
    """The message with the attachments' contents where their stand-ins are: put together line by line, a hundred
    megabytes would take ten times as long."""
    pieces: list[bytes] = []
    for number, attachment in enumerate(mail.attachments):
        before, mark, message = message.partition(base64.b64encode(_stand_in(mail, number)) + b"\r\n")
        assert mark
        pieces += [before, encode(attachment)]
    return [*pieces, message]


def _block_lines(data: bytes) -> bytes:
    text = np.frombuffer(base64.b64encode(data), np.uint8)
    whole = len(text) // _LINE * _LINE
    lines = np.empty((whole // _LINE, _LINE + 2), np.uint8)
    lines[:, :_LINE] = text[:whole].reshape(-1, _LINE)
    lines[:, _LINE:] = (13, 10)
    rest = text[whole:].tobytes()
    return lines.tobytes() + (rest + b"\r\n" if rest else b"")


def _fix_boundaries(message: EmailMessage, seed: str) -> None:
    """Give each multipart a boundary that depends on the mail alone (RFC 2046, 5.1.1)."""
    number = 0
    for part in message.walk():
        if part.is_multipart():
            mark = hashlib.sha256(f"{seed} {number}".encode()).hexdigest()[:32]
            part.set_boundary(f"=_tin_{mark}")
            number += 1
