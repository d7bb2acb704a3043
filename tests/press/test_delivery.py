"""Giving mails to servers that are not there, hang up, refuse, or want a password."""

from __future__ import annotations

import smtplib
import socket
from contextlib import contextmanager
from dataclasses import replace
from datetime import UTC, datetime
from email.headerregistry import Address

import pytest
from aiosmtpd.controller import Controller
from hypothesis import given
from hypothesis import strategies as st

from tinquire.base.faults import AccessError, UseError
from tinquire.post import Attachment, Mail, MailServer, mail_bytes
from tinquire.post.delivery import AnswerLostError, MailRefusedError, session, to_one
from tinquire.post.message import base64_lines, encoded_size, in_domains
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

    def ehlo_or_helo_if_needed(self):
        pass

    def has_extn(self, name):
        return False

    def mail(self, sender, options):
        return 250, b"ok"

    def rcpt(self, address):
        return 250, b"ok"

    def docmd(self, word):
        return 354, b"go on"

    def send(self, data):
        self._note("send", data)

    def getreply(self):
        return 250, b"kept"

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
        (MailServer("m.example", 25), ["connect", "send", "quit"]),
        (MailServer("m.example", 587, "starttls", "ada", "pw"), ["connect", "starttls", "login", "send", "quit"]),
        (MailServer("m.example", 465, "tls", "ada"), ["connect", "login", "send", "quit"]),
    ],
)
def test_the_line_is_secured_and_logged_in_as_asked(client, server, calls):
    with session(server) as line:
        line.send(mail_bytes(LETTER), NOW)
    assert [name for name, _ in client.calls] == calls
    sent = next(words for name, words in client.calls if name == "send")
    assert b"Date: Tue, 03 Nov 2026 17:45:00 +0000" in sent[0] and sent[0].endswith(b"\r\n.\r\n")


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
    ("send", smtplib.SMTPServerDisconnected("gone"), "was given the mail and did not answer: gone"),
]


@pytest.mark.parametrize(("name", "trouble", "why"), TROUBLES)
def test_trouble_is_told_with_the_server_and_a_remedy(client, name, trouble, why):
    client.trouble[name] = trouble
    with pytest.raises(AccessError) as caught, session(MailServer("m.example", 587, "starttls", "ada", "pw")) as line:
        line.send(mail_bytes(LETTER), NOW)
    fault = caught.value.faults[0]
    assert (why in fault.why, fault.where) == (True, "m.example:587")
    assert "postroom" in fault.do


class Answers:
    """What a real server says to recipients and to mails, in turn; then it takes them."""

    def __init__(self, rcpt=(), data=()):
        self.rcpt, self.data, self.kept = dict(rcpt), list(data), []

    async def handle_RCPT(self, server, session, envelope, address, options):  # noqa: N802 - the name of aiosmtpd
        if answer := self.rcpt.get(address):
            return answer
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server, session, envelope):  # noqa: N802
        answer = self.data.pop(0) if self.data else "250 kept"
        if answer.startswith("250"):
            self.kept.append((envelope.rcpt_tos, envelope.content))
        if answer.endswith("hangs up"):
            server.transport.abort()
        return answer


@contextmanager
def answering(**words):
    handler = Answers(**words)
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    controller = Controller(handler, hostname="127.0.0.1", port=port)
    controller.start()
    try:
        yield handler, MailServer("127.0.0.1", port, retries=(0.0, 0.0))
    finally:
        controller.stop()


BOB = Address("Bob", "bob", "northgate.example")
SPOKEN = [
    # answers to recipients and to mails; refused recipients or what is raised; how often the mail was kept
    ({}, [], {}, 1), ({"bob@northgate.example": "550 unknown"}, [], {"bob@northgate.example": "550 unknown"}, 1),
    ({"bob@northgate.example": "550 unknown", "ada@northgate.example": "551 gone"}, [], MailRefusedError, 0),
    ({}, ["451 busy", "452 full"], {}, 1), ({}, ["451 busy"] * 3, MailRefusedError, 0), ({}, ["554 no"], MailRefusedError, 0),
    ({}, ["250 kept, and hangs up"], AnswerLostError, 1),
]  # fmt: skip


@pytest.mark.parametrize(("rcpt", "data", "found", "kept"), SPOKEN)
def test_what_a_server_says_is_understood(rcpt, data, found, kept):
    letter = replace(LETTER, to=(ADA, BOB), body="a line\n.\n..two points\n")
    with answering(rcpt=rcpt, data=data) as (handler, server), session(server) as line:
        if isinstance(found, dict):
            assert line.send(mail_bytes(letter), NOW) == found
            assert line.send(mail_bytes(letter), NOW) == found, "the connection goes on"
            handler.kept.pop()
            assert b"\r\n.\r\n..two points" in handler.kept[0][1]
        else:
            with pytest.raises(found):
                line.send(mail_bytes(letter), NOW)
        assert len(handler.kept) == kept


def test_hidden_recipients_get_the_mail_and_are_not_named():
    letter = replace(LETTER, bcc=(BOB,))
    assert b"bob@" in mail_bytes(letter)
    with answering() as (handler, server), session(server) as line:
        line.send(mail_bytes(letter), NOW)
        line.send(to_one(mail_bytes(letter), "me@x.example"), NOW)
    (to, content), (looked, look) = handler.kept
    assert to == ["ada@northgate.example", "bob@northgate.example"] and b"bob" not in content.lower()
    assert looked == ["me@x.example"] and b"bob@northgate.example] Pack" in look.replace(b"\r\n ", b" ")


@pytest.mark.parametrize(("address", "allowed", "fits"), [
    ("a@x.example", [], True), ("a@x.example", ["x.example"], True), ("a@x.example", ["@X.Example"], True),
    ("a@b.x.example", ["x.example"], True), ("a@bx.example", ["x.example"], False), ("a@x.example", ["y.example"], False),
])  # fmt: skip
def test_domains(address, allowed, fits):
    assert in_domains(address, allowed) is fits


@given(st.integers(0, 500))
def test_how_large_an_attachment_becomes(size):
    assert encoded_size(size) == len(base64_lines(bytes(size)))


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
