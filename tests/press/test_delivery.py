"""Giving mails to servers that are not there, hang up, refuse, or want a password."""

from __future__ import annotations

import smtplib
from datetime import UTC, datetime
from email.headerregistry import Address

import pytest

from tinquire.base.faults import AccessError, UseError
from tinquire.post import Attachment, Mail, MailServer, mail_bytes
from tinquire.post.delivery import session
from tinquire.post.postroom import postroom

NOW = datetime(2026, 11, 3, 17, 45, tzinfo=UTC)
ADA = Address("Ada Merrin", "ada", "northgate.example")
LETTER = Mail("<1@x.example>", Address("Desk", "desk", "x.example"), (ADA,), "Pack", "Dear Ada", NOW)


class Client:
    """Stands in for smtplib's client; `trouble` names the call that fails."""

    calls: list[tuple[str, tuple[object, ...]]]
    trouble: dict[str, Exception | dict[str, object]]

    def __init__(self, *words, **more):
        self._note("connect", *words)

    def _note(self, name, *words):
        type(self).calls.append((name, words))
        trouble = type(self).trouble.get(name)
        if isinstance(trouble, Exception):
            raise trouble
        return trouble or {}

    def starttls(self, context):
        return self._note("starttls")

    def login(self, user, password):
        return self._note("login", user, password)

    def sendmail(self, sender, to, data):
        return self._note("sendmail", sender, tuple(to), data)

    def quit(self):
        return self._note("quit")

    def close(self):
        return self._note("close")


@pytest.fixture
def client(monkeypatch):
    fresh = type("Fresh", (Client,), {"calls": [], "trouble": {}})
    monkeypatch.setattr(smtplib, "SMTP", fresh)
    monkeypatch.setattr(smtplib, "SMTP_SSL", fresh)
    return fresh


@pytest.mark.parametrize(
    ("server", "calls"),
    [
        (MailServer("m.example", 25), ["connect", "sendmail", "quit"]),
        (MailServer("m.example", 587, "starttls", "ada", "pw"), ["connect", "starttls", "login", "sendmail", "quit"]),
        (MailServer("m.example", 465, "tls", "ada"), ["connect", "login", "sendmail", "quit"]),
    ],
)
def test_the_line_is_secured_and_logged_in_as_asked(client, server, calls):
    with session(server) as line:
        line.send(mail_bytes(LETTER), NOW)
    assert [name for name, _ in client.calls] == calls
    sent = next(words for name, words in client.calls if name == "sendmail")
    assert sent[:2] == ("desk@x.example", ("ada@northgate.example",))
    assert b"Date: Tue, 03 Nov 2026 17:45:00 +0000" in sent[2]


LOGINS = [
    (MailServer("m.example", 25, "none", "ada", "pw"), "unsecured"),
    (MailServer("localhost.m.example", 25, "none", "ada"), "unsecured"),
    (MailServer("10.0.0.1", 25, "none", "ada", "pw"), "unsecured"),
    (MailServer("m.example", 25, "none", "ada", "pw", password_in_clear=True), ""),
    (MailServer("mail.localhost", 25, "none", "ada", "pw"), ""),
    (MailServer("127.0.0.9", 25, "none", "ada", "pw"), ""),
    (MailServer("::1", 25, "none", "ada", "pw"), ""),
    (MailServer("m.example", 25, "tls", "ada\r\nRSET", "pw"), "line break"),
    (MailServer("m.example", 25, "starttls", "ada", "p\x00w"), "line break"),
]


@pytest.mark.parametrize(("server", "why"), LOGINS)
def test_no_password_goes_where_others_can_read_it(client, server, why):
    if why:
        with pytest.raises(UseError, match=why), session(server):
            pass
    else:
        with session(server):
            pass
    assert [name for name, _ in client.calls] == ([] if why else ["connect", "login", "quit"])


TROUBLES = [
    ("connect", ConnectionRefusedError("refused"), "no connection: refused"),
    ("login", smtplib.SMTPAuthenticationError(535, b"bad password"), "no connection: 535 bad password"),
    ("starttls", smtplib.SMTPNotSupportedError("no TLS here"), "no connection: no TLS here"),
    ("sendmail", smtplib.SMTPRecipientsRefused({"ada@northgate.example": (550, b"unknown")}), "did not take the mail"),
    ("sendmail", smtplib.SMTPServerDisconnected("gone"), "did not take the mail: gone"),
    ("sendmail", {"ada@northgate.example": (550, b"unknown")}, "refused ada@northgate.example"),
]


@pytest.mark.parametrize(("name", "trouble", "why"), TROUBLES)
def test_trouble_is_told_with_the_server_and_a_remedy(client, name, trouble, why):
    client.trouble[name] = trouble
    with pytest.raises(AccessError) as caught, session(MailServer("m.example", 587, "starttls", "ada", "pw")) as line:
        line.send(mail_bytes(LETTER), NOW)
    fault = caught.value.faults[0]
    assert (why in fault.why, fault.where) == (True, "m.example:587")
    assert "postroom" in fault.do


def test_a_server_that_hangs_up_after_its_work_is_no_trouble(client):
    client.trouble["quit"] = smtplib.SMTPServerDisconnected("gone")
    with session(MailServer("m.example")) as line:
        line.send(mail_bytes(LETTER), NOW)
    assert client.calls[-1][0] == "close"


@pytest.mark.parametrize(
    ("change", "why"),
    [
        (dict(subject="a\nBcc: x@y.example"), "the subject holds"),
        (dict(attachments=(Attachment("a\r\nb.xlsx", b""),)), "holds a control character"),
    ],
)
def test_line_breaks_cannot_become_headers(change, why):
    from dataclasses import replace

    with pytest.raises(ValueError, match=why):
        mail_bytes(replace(LETTER, **change))


@pytest.mark.parametrize(
    ("name", "kind"),
    [
        ("a.xlsx", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"),
        ("a.pdf", "application/pdf"),
        ("Ünï.bin", "application/octet-stream"),
    ],
)
def test_attachments_carry_their_kind_and_name(name, kind):
    import email
    from dataclasses import replace
    from email.policy import default

    letter = replace(LETTER, attachments=(Attachment(name, b"\x00\xff"),), cc=(ADA,), reply_to=ADA)
    message = email.message_from_bytes(mail_bytes(letter), policy=default)
    part = next(message.iter_attachments())
    assert (part.get_content_type(), part.get_filename(), part.get_content()) == (kind, name, b"\x00\xff")
    assert mail_bytes(letter) == mail_bytes(letter)


def test_a_port_that_is_taken(tmp_path):
    with (
        postroom(tmp_path / "a", 0) as (_, port),
        pytest.raises(AccessError, match="opening the postroom"),
        postroom(tmp_path / "b", port),
    ):
        pass
