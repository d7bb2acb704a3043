"""Giving messages to a mail server (RFC 5321)."""

from __future__ import annotations

import ipaddress
import re
import smtplib
import ssl
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from datetime import datetime
from email.message import EmailMessage
from email.parser import BytesHeaderParser
from email.policy import SMTP
from email.utils import format_datetime, getaddresses

from tinquire.base.faults import AccessError, Fault, UseError

__all__ = [
    "AnswerLostError", "MailRefusedError", "MailServer", "Session", "deliver", "headers_of", "recipients", "session",
    "to_one",
]  # fmt: skip

#: How long a silent server is waited for, in seconds.
_PATIENCE = 30.0


@dataclass(frozen=True, slots=True)
class MailServer:
    """Where mails are given: `security` is 'none', 'starttls' or 'tls'; without a user nobody logs in."""

    host: str = "localhost"
    port: int = 25
    security: str = "none"
    user: str | None = None
    password: str | None = None
    #: Whether a password may go over a line that is not secured.
    password_in_clear: bool = False
    #: Seconds between two mails, and before each further attempt when the server says that it may take one later.
    pause: float = 0.0
    retries: tuple[float, ...] = (2.0, 8.0, 30.0)

    def require_safe_login(self) -> None:
        """Stop before anybody on the way can read a password. Raises UseError."""
        stopped = "logging in to the mail server"
        if any(not sign.isprintable() for sign in f"{self.user or ''}{self.password or ''}{self.host}"):
            why = "the server, user or password has a line break or another control character in it"
            raise UseError(Fault(stopped, why, str(self), "write it in one line"))
        if self.user and self.security == "none" and not self.password_in_clear and not _is_this_machine(self.host):
            why = "the password would go over the network unsecured"
            do = 'write security = "starttls" or "tls" in [post]; if the network is safe, password_in_clear = true'
            raise UseError(Fault(stopped, why, str(self), do))

    def __str__(self) -> str:
        return f"{self.host}:{self.port}"


#: Where the header fields end, and the date among them with its folded lines (RFC 5322, 2.2.3).
_HEADERS_END = re.compile(rb"\r?\n\r?\n")
_HIDDEN = re.compile(rb"^Bcc:[^\n]*\n(?:[ \t][^\n]*\n)*", re.IGNORECASE | re.MULTILINE)
_LINE_END = re.compile(rb"\r\n|\r|\n")
_DATE = re.compile(rb"^Date:[^\n]*\n(?:[ \t][^\n]*\n)*", re.IGNORECASE | re.MULTILINE)


class MailRefusedError(AccessError):
    """A mail that the server did not take: nobody got it. `temporary` when the server said that it may later."""

    def __init__(self, fault: Fault, *, temporary: bool) -> None:
        super().__init__(fault)
        self.temporary = temporary


class AnswerLostError(AccessError):
    """The mail was given to the server, and its answer never came: whether it was taken, nobody knows."""


class Session:
    """An open connection to a mail server."""

    def __init__(self, client: smtplib.SMTP, server: MailServer) -> None:
        self._client = client
        self._server = server
        self._sent = 0

    def send(self, data: bytes, at: datetime, sender: str = "", to: Sequence[str] = ()) -> dict[str, str]:
        """Give one message file to the server, dated `at`; the recipients that it refused, with its words, while it
        took the mail for the others. `sender` and `to` spare those who know them another look into the message.

        A temporary refusal is tried again after growing pauses. Raises MailRefusedError when nobody gets the mail,
        AnswerLostError when that cannot be told, and AccessError when the connection broke before.
        """
        if not sender or not to:
            message = headers_of(data)
            sender, to = recipients(message, ("From",))[0], recipients(message)
        content = _on_the_line(dated(data, at))
        if self._sent and self._server.pause:
            time.sleep(self._server.pause)
        self._sent += 1
        for pause in self._server.retries:
            try:
                return self._give(sender, to, content)
            except MailRefusedError as error:
                if not error.temporary:
                    raise
                time.sleep(pause)
        return self._give(sender, to, content)

    def _give(self, sender: str, to: Sequence[str], content: bytes) -> dict[str, str]:
        """One attempt (RFC 5321, 3.3)."""
        client, refused, codes = self._client, {}, []
        try:
            client.ehlo_or_helo_if_needed()
            size = [f"size={len(content)}"] if client.has_extn("size") else []
            self._expect(client.mail(sender, size), 250)
            for address in to:
                code, words = client.rcpt(address)
                if code not in (250, 251):
                    refused[address] = _said(code, words)
                    codes.append(code)
            if len(refused) == len(to):
                client.rset()
                told = "; ".join(f"{address}: {words}" for address, words in refused.items())
                raise self._refused(told, temporary=all(400 <= code < 500 for code in codes))
            self._expect(client.docmd("data"), 354)
        except (smtplib.SMTPException, OSError) as error:
            raise _trouble(self._server, f"the server did not take the mail: {_server_words(error)}") from None
        try:
            client.send(content)
            answer = client.getreply()
        except (smtplib.SMTPException, OSError) as error:
            why = f"the server was given the mail and did not answer: {_server_words(error)}"
            raise AnswerLostError(_trouble(self._server, why).faults[0]) from None
        self._expect(answer, 250)
        return refused

    def _expect(self, answer: tuple[int, bytes], code: int) -> None:
        """Raises MailRefusedError for any other answer."""
        if answer[0] != code:
            with suppress(smtplib.SMTPException, OSError):
                self._client.rset()
            raise self._refused(_said(*answer), temporary=400 <= answer[0] < 500)

    def _refused(self, words: str, *, temporary: bool) -> MailRefusedError:
        fault = _trouble(self._server, f"the server did not take the mail: {words}").faults[0]
        return MailRefusedError(fault, temporary=temporary)


def _said(code: int, words: bytes) -> str:
    return f"{code} {words.decode(errors='replace')}"


def _on_the_line(data: bytes) -> bytes:
    """A message as it goes over the line: lines ended as RFC 5321 asks, points at their beginnings doubled (4.5.2), and
    without the field that names recipients whom the others are not to see."""
    end = _HEADERS_END.search(data)
    head, rest = (data[: end.start() + 2], data[end.start() + 2 :]) if end else (data, b"")
    content = _HIDDEN.sub(b"", head) + rest
    ends = content.count(b"\r\n")
    if ends != content.count(b"\n") or ends != content.count(b"\r"):
        content = _LINE_END.sub(b"\r\n", content)
    content = content if content.endswith(b"\r\n") else content + b"\r\n"
    content = content.replace(b"\r\n.", b"\r\n..")
    return (b"." if content.startswith(b".") else b"") + content + b".\r\n"


def headers_of(data: bytes) -> EmailMessage:
    """The header fields of a message file; what follows them is not looked at, whatever its size."""
    end = _HEADERS_END.search(data)
    message = BytesHeaderParser(policy=SMTP).parsebytes(data[: end.end()] if end else data)
    assert isinstance(message, EmailMessage)
    return message


def dated(data: bytes, at: datetime) -> bytes:
    """A message file with its date (RFC 5322, 3.6.1) set; all else as it is."""
    end = _HEADERS_END.search(data)
    head, rest = (data[: end.start()], data[end.start() :]) if end else (data, b"")
    fields = _DATE.sub(b"", head + b"\r\n").rstrip(b"\r\n")
    return b"%s\r\nDate: %s%s" % (fields, format_datetime(at).encode(), rest)


def recipients(message: EmailMessage, fields: Sequence[str] = ("To", "Cc", "Bcc")) -> list[str]:
    """All addresses a message goes to (or those of other fields), each once."""
    headers = [str(value) for name in fields for value in message.get_all(name, [])]
    return list(dict.fromkeys(address for _, address in getaddresses(headers) if address))


@contextmanager
def session(server: MailServer) -> Iterator[Session]:
    """Connect to a server, secured and logged in as it says. Raises AccessError, and UseError for an unsafe login."""
    server.require_safe_login()
    client: smtplib.SMTP | None = None
    try:
        if server.security == "tls":
            client = smtplib.SMTP_SSL(server.host, server.port, timeout=_PATIENCE, context=ssl.create_default_context())
        else:
            client = smtplib.SMTP(server.host, server.port, timeout=_PATIENCE)
        if server.security == "starttls":
            client.starttls(context=ssl.create_default_context())
        if server.user:
            client.login(server.user, server.password or "")
    except (smtplib.SMTPException, OSError) as error:
        if client is not None:
            client.close()
        raise _trouble(server, f"no connection: {_server_words(error)}") from None
    try:
        yield Session(client, server)
    finally:
        try:
            client.quit()
        except (smtplib.SMTPException, OSError):
            # The mails are settled already; a server that hangs up first has done its work.
            client.close()


def deliver(server: MailServer, data: bytes, at: datetime) -> None:
    """Give a single message to a server."""
    with session(server) as open_session:
        open_session.send(data, at)


def to_one(data: bytes, address: str) -> bytes:
    """A message file for a look: to one address instead of its own recipients, whom its subject names, and under an
    identity of its own."""
    message, end = headers_of(data), _HEADERS_END.search(data)
    first = ", ".join(recipients(message))
    subject, identity = str(message["Subject"] or ""), str(message["Message-ID"] or "")
    for name in ("To", "Cc", "Bcc", "Subject", "Message-ID"):
        del message[name]
    message["To"] = address
    message["Subject"] = f"[to {first}] {subject}"
    message["Message-ID"] = identity.replace("<", "<look.", 1)
    return message.as_bytes() + (data[end.end() :] if end else b"")


def _is_this_machine(host: str) -> bool:
    """Whether a name or address never leaves the machine (RFC 6761, 6.3; RFC 1122, 3.2.1.3)."""
    try:
        return ipaddress.ip_address(host.strip("[]")).is_loopback
    except ValueError:
        return host.casefold().rstrip(".").rpartition(".")[2] == "localhost"


def _server_words(error: Exception) -> str:
    if isinstance(error, smtplib.SMTPResponseException):
        detail = error.smtp_error
        return f"{error.smtp_code} {detail.decode(errors='replace') if isinstance(detail, bytes) else detail}"
    return str(error) or type(error).__name__


def _trouble(server: MailServer, why: str) -> AccessError:
    do = "check [post] in the docket and that the server runs; for a trial start 'tinquire postroom'"
    return AccessError(Fault("sending mails", why, str(server), do))
