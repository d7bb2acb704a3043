"""Giving messages to a mail server (RFC 5321)."""

from __future__ import annotations

import ipaddress
import re
import smtplib
import ssl
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from email.message import EmailMessage
from email.parser import BytesHeaderParser
from email.policy import SMTP
from email.utils import format_datetime, getaddresses

from tinquire.base.faults import AccessError, Fault, UseError

__all__ = ["MailServer", "Session", "deliver", "headers_of", "recipients", "session"]

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
_DATE = re.compile(rb"^Date:[^\n]*\n(?:[ \t][^\n]*\n)*", re.IGNORECASE | re.MULTILINE)


class Session:
    """An open connection to a mail server."""

    def __init__(self, client: smtplib.SMTP, server: MailServer) -> None:
        self._client = client
        self._server = server

    def send(self, data: bytes, at: datetime) -> None:
        """Give one message file to the server, dated `at`. Raises AccessError when any recipient is refused."""
        message = headers_of(data)
        to = recipients(message)
        sender = getaddresses([str(message["From"])])[0][1]
        try:
            refused = self._client.sendmail(sender, to, _dated(data, at))
        except (smtplib.SMTPException, OSError) as error:
            raise _trouble(self._server, f"the server did not take the mail: {_server_words(error)}") from None
        if refused:
            names = ", ".join(refused)
            raise _trouble(self._server, f"the server took the mail, but refused {names}")


def headers_of(data: bytes) -> EmailMessage:
    """The header fields of a message file; what follows them is not looked at, whatever its size."""
    end = _HEADERS_END.search(data)
    message = BytesHeaderParser(policy=SMTP).parsebytes(data[: end.end()] if end else data)
    assert isinstance(message, EmailMessage)
    return message


def _dated(data: bytes, at: datetime) -> bytes:
    """A message file with its date (RFC 5322, 3.6.1) set; all else as it is."""
    end = _HEADERS_END.search(data)
    head, rest = (data[: end.start()], data[end.start() :]) if end else (data, b"")
    fields = _DATE.sub(b"", head + b"\r\n").rstrip(b"\r\n")
    return b"%s\r\nDate: %s%s" % (fields, format_datetime(at).encode(), rest)


def recipients(message: EmailMessage) -> list[str]:
    """All addresses a message goes to, each once."""
    headers = [str(value) for name in ("To", "Cc", "Bcc") for value in message.get_all(name, [])]
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
