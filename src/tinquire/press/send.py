"""The outbox given to a mail server, each mail at most once."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from email.message import EmailMessage
from email.parser import BytesHeaderParser
from email.policy import default
from email.utils import getaddresses
from pathlib import Path

from tinquire.base.faults import AccessError, DataError, Fault, TinQuireError
from tinquire.base.parallel import map_in_order
from tinquire.post.delivery import AnswerLostError, MailRefusedError, MailServer, headers_of, recipients, session
from tinquire.post.message import in_domains
from tinquire.press.record.daybook import Daybook, KnownMail, MailState, digest, mail_state

__all__ = ["Outgoing", "SendReport", "outgoing", "require_domains", "send", "to_drafts"]

#: Hears what is being done, and how many of how many are done.
Progress = Callable[..., None]


_PART_HEADERS_END = re.compile(rb"\r?\n\r?\n")


@dataclass(frozen=True, slots=True)
class Outgoing:
    """A mail in the outbox, and what the daybook knows of it. Its content is read again when it is sent: thousands of
    mails need not be in memory."""

    path: Path
    #: Size and time of change of its file, when it was listed.
    looks: tuple[int, int]
    identity: str
    sender: str
    to: tuple[str, ...]
    subject: str
    known: MailState | None

    @property
    def attachments(self) -> tuple[str, ...]:
        """The names of its attachments."""
        data = self.path.read_bytes()
        return tuple(_attachments(data, headers_of(data)))


@dataclass(frozen=True, slots=True)
class SendReport:
    """Mails sent now, mails that had gone before, and mails held back with the reason."""

    sent: tuple[Outgoing, ...]
    before: tuple[Outgoing, ...]
    held: tuple[Fault, ...]
    #: Mails and recipients that the server refused, and what broke off: the rest was not tried.
    refused: tuple[Fault, ...] = ()


def outgoing(outbox: Path, base: Path) -> list[Outgoing]:
    """The mails in an outbox, by name. Raises DataError when there is none, or one of them is not a mail."""
    files = sorted(outbox.glob("*.eml")) if outbox.is_dir() else []
    if not files:
        why = "there is no mail in it"
        raise DataError(Fault("sending mails", why, str(outbox), "run the docket for this period first"))
    known = Daybook(base).mails()
    return [_read(path, known) for path in files]


def _read(path: Path, known: Mapping[str, Sequence[KnownMail]]) -> Outgoing:
    looks = _looks(path)
    data = path.read_bytes()
    identity, sender, to, subject = _named(data)
    if not identity or not to:
        why = "it is not a complete mail: it has no " + ("recipient" if identity else "Message-ID")
        raise DataError(Fault("sending mails", why, str(path), "run the docket again"))
    # Of a mail that nobody knows yet, the digest is worked out when it is sent.
    state = mail_state(known, identity, digest(data)) if identity in known else None
    return Outgoing(path, looks, identity, sender, to, subject, state)


def _named(data: bytes) -> tuple[str, str, tuple[str, ...], str]:
    """A mail's identity, sender, recipients and subject."""
    end = _PART_HEADERS_END.search(data)
    head = data[: end.start()] if end else data
    fields = dict.fromkeys(("message-id", "from", "to", "cc", "bcc", "subject"), "")
    lower = b"\n" + head.lower()
    if not head.isascii() or b"=?" in head or any(lower.count(b"\n%s:" % name.encode()) > 1 for name in fields):
        message = headers_of(data)  # words of other alphabets, or fields that stand twice
        sender = next(iter(recipients(message, ("From",))), "")
        return str(message["Message-ID"] or ""), sender, tuple(recipients(message)), str(message["Subject"])
    # Plain fields need no more than unfolding (RFC 5322, 2.2.3), which is twenty times as fast.
    for line in re.sub(r"\r?\n(?=[ \t])", "", head.decode("ascii")).splitlines():
        name, mark, value = line.partition(":")
        if mark and name.casefold() in fields:
            fields[name.casefold()] = value.strip()
    addresses = [address for _, address in getaddresses([fields["to"], fields["cc"], fields["bcc"]]) if address]
    sender = next((address for _, address in getaddresses([fields["from"]]) if address), "")
    return fields["message-id"], sender, tuple(dict.fromkeys(addresses)), fields["subject"]


def _looks(path: Path) -> tuple[int, int]:
    found = path.stat()
    return found.st_size, found.st_mtime_ns


def _attachments(data: bytes, message: EmailMessage) -> Iterator[str]:
    """The names of a message's attachments, by the fields of its outermost parts (RFC 2046, 5.1.1) alone."""
    mark = message.get_boundary()
    if message.get_content_type() != "multipart/mixed" or not mark:
        return
    delimiter = b"\n--" + mark.encode()
    at = data.find(delimiter)
    while at >= 0:
        begin = data.find(b"\n", at + len(delimiter)) + 1
        if data.startswith(b"--", at + len(delimiter)) or not begin:
            return
        end = next((found.end() for found in _PART_HEADERS_END.finditer(data, begin)), len(data))
        if b"name" in data[begin:end]:
            part = BytesHeaderParser(policy=default).parsebytes(data[begin:end])
            if (name := part.get_filename()) is not None:
                yield str(name)
        at = data.find(delimiter, begin)


def send(
    mails: Sequence[Outgoing],
    server: MailServer,
    base: Path,
    period: str,
    clock: Callable[[], datetime],
    *,
    again: bool = False,
    progress: Callable[[str], None] = lambda _: None,
) -> SendReport:
    """Send what has not been sent. `again` sends what the daybook says has gone, too.

    A mail that was sent with other content, or whose sending broke off, is held back and named: whether it should go
    again is for a person to say. A mail that the server refuses is told, and the others go on. Where the connection
    breaks, the rest is not tried: the mail on its way counts as not sent, but when the server was given all of it and
    did not answer, as one that may have been. Raises AccessError when the server cannot be reached.
    """
    before = [mail for mail in mails if mail.known and mail.known.state == "sent" and mail.known.same and not again]
    held = [_held_back(mail) for mail in mails if mail.known and not again and mail not in before]
    ready = [mail for mail in mails if again or mail.known is None]
    sent: list[Outgoing] = []
    refused: list[Fault] = []
    if ready:
        book = Daybook(base)
        with session(server) as open_session, book.kept_open():
            # The next mails are read while one is on its way.
            for mail, prepared in zip(ready, map_in_order(_prepared, ready), strict=True):
                progress(f"sending to {', '.join(mail.to)}")
                to = ", ".join(mail.to)
                if isinstance(prepared, TinQuireError):
                    refused.append(_of_mail(prepared, mail))
                    break
                data, content = prepared
                if not book.claim(mail.identity, content, period, to, mail.subject, clock(), again):
                    before.append(mail)
                    continue
                try:
                    missed = open_session.send(data, clock(), mail.sender, mail.to)
                except AnswerLostError as error:
                    refused.append(_of_mail(error, mail, "look whether it came; to send it again, use --again"))
                    break
                except MailRefusedError as error:
                    book.settle(mail.identity, content, sent=False, at=clock())
                    refused.append(_of_mail(error, mail))
                    continue
                except TinQuireError as error:
                    book.settle(mail.identity, content, sent=False, at=clock())
                    refused.append(_of_mail(error, mail))
                    break
                book.settle(mail.identity, content, sent=True, at=clock())
                sent.append(mail)
                refused += [_missed(mail, address, words) for address, words in missed.items()]
    return SendReport(tuple(sent), tuple(before), tuple(held), tuple(refused))


def to_drafts(
    mails: Sequence[Outgoing], base: Path, period: str, clock: Callable[[], datetime],
    add: Callable[[Sequence[bytes]], None], *, at_once: bool, again: bool = False, progress: Progress = lambda *_: None,
) -> SendReport:  # fmt: skip
    """Put mails among drafts, those that have neither been there nor been sent. `add` puts some there, all or none of
    them: all `at_once`, or one after the other. Raises what it raises, when those before are recorded."""
    before = [one for one in mails if one.known and one.known.state == "drafted" and one.known.same and not again]
    held = [_held_back(one) for one in mails if one.known and not again and one not in before]
    ready = [one for one in mails if again or one.known is None]
    book = Daybook(base)
    done: list[Outgoing] = []
    for group in [ready] if at_once and ready else [[one] for one in ready]:
        progress("putting mails among drafts", len(done) + 1, len(ready))
        claimed: list[tuple[Outgoing, str]] = []
        contents: list[bytes] = []
        for one in group:
            data = _unchanged(one)
            if book.claim(one.identity, digest(data), period, ", ".join(one.to), one.subject, clock(), again):
                claimed.append((one, digest(data)))
                contents.append(data)
        try:
            add(contents)
        except AnswerLostError:
            raise
        except TinQuireError:
            for one, content in claimed:
                book.settle(one.identity, content, sent=False, at=clock())
            raise
        for one, content in claimed:
            book.settle(one.identity, content, sent=True, at=clock(), state="drafted")
        done += [one for one, _ in claimed]
    return SendReport(tuple(done), tuple(before), tuple(held))


def require_domains(mails: Sequence[Outgoing], allowed: Sequence[str], where: str) -> None:
    """Raises DataError, with all of them, for recipients outside of the domains that the docket allows."""
    faults = [
        Fault("sending mails", f"'{address}' is in none of the domains allowed", str(mail.path), f"see {where}")
        for mail in mails
        for address in mail.to
        if not in_domains(address, allowed)
    ]
    if faults:
        raise DataError(*faults)


def _of_mail(error: TinQuireError, mail: Outgoing, do: str = "") -> Fault:
    fault = error.faults[0]
    return replace(fault, stopped=f"sending to {', '.join(mail.to)}", do=do or fault.do)


def _missed(mail: Outgoing, address: str, words: str) -> Fault:
    why = f"the server took the mail, but not for {address}: {words}"
    return Fault(f"sending to {', '.join(mail.to)}", why, str(mail.path), "fix the address in the list")


def _unchanged(mail: Outgoing) -> bytes:
    """A mail's bytes, if its file still is what was listed. Raises AccessError."""
    try:
        data, looks = mail.path.read_bytes(), _looks(mail.path)
    except OSError:
        data, looks = b"", (0, 0)
    if looks != mail.looks:
        why = "its file was changed or taken away while mails were being sent"
        raise AccessError(Fault("sending mails", why, str(mail.path), "look at the outbox, and send again"))
    return data


def _prepared(mail: Outgoing) -> tuple[bytes, str] | TinQuireError:
    """A mail's bytes and their digest, or why there are none."""
    try:
        data = _unchanged(mail)
    except TinQuireError as error:
        return error
    return data, digest(data)


def _held_back(mail: Outgoing) -> Fault:
    assert mail.known is not None
    if mail.known.state == "drafted":
        why = f"it was put among the drafts on {mail.known.at}" + ("" if mail.known.same else " with other content")
    elif mail.known.state == "sent":
        why = f"a mail of this run was sent on {mail.known.at}" + (" with other content" if not mail.known.same else "")
    else:
        why = f"its sending on {mail.known.at} broke off, so it may have been sent"
    do = "to send it (again), use --again"
    return Fault(f"sending to {', '.join(mail.to)}", why, str(mail.path), do)
