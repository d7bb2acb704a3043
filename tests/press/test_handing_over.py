"""Files onto a server that speaks SFTP, mails among drafts, passwords from where they are kept."""

import asyncio
import mailbox
import os
import socket
import sys
import threading
from contextlib import closing, contextmanager
from datetime import UTC, datetime

import asyncssh
import pytest

from press import send_kills
from tinquire.base.faults import TinQuireError
from tinquire.cli.support.passwords import password_of
from tinquire.docket.schema.passwords import LoginModel
from tinquire.post.drafts import add_to_mailbox
from tinquire.press.record.daybook import Daybook

AT = datetime(2026, 11, 3, 9, tzinfo=UTC)
DOCKET = """
title = "T"
period = "month"
[sources.list]
file = "list.csv"
[workbooks.pack]
name = "Pack [:period:].xlsx"
sheets = [{{ name = "List", table = "list" }}]
[mails.all]
each = "list"
from = "us@b.example"
to = "[:Name:]@b.example"
subject = "[:Name:]"
body = "From here on\\n\\nFrom us"
attach = ["pack"]
[proof]
pictures = false
{more}
"""


@pytest.fixture(scope="module")
def keys():
    return asyncssh.generate_private_key("ssh-ed25519"), asyncssh.generate_private_key("ssh-ed25519")


@contextmanager
def sftp(folder, keys):
    """A server of asyncssh, whose user 'desk' has a password and a key."""
    host, own = keys

    class Server(asyncssh.SSHServer):
        def password_auth_supported(self):
            return True

        def validate_password(self, username, password):
            return (username, password) == ("desk", "open up")

        def validate_public_key(self, username, key):
            return username == "desk" and key == own.convert_to_public()

        def public_key_auth_supported(self):
            return True

    loop = asyncio.new_event_loop()

    async def begin():
        return await asyncssh.listen(
            "127.0.0.1", 0, server_factory=Server, server_host_keys=[host],
            sftp_factory=lambda chan: asyncssh.SFTPServer(chan, chroot=str(folder)),
        )  # fmt: skip

    server = loop.run_until_complete(begin())
    thread = threading.Thread(target=loop.run_forever)
    thread.start()
    try:
        yield server.get_port()
    finally:
        loop.call_soon_threadsafe(server.close)
        loop.call_soon_threadsafe(loop.stop)
        thread.join()
        loop.close()


def lay_out(folder, more):
    (folder / "list.csv").write_text("Name,N\nann,1\nbo,2\n", "utf-8")
    (folder / "docket.toml").write_text(DOCKET.format(more=more), "utf-8")
    return folder / "docket.toml"


def delivery(port, **more):
    settings = {
        "server": "127.0.0.1",
        "port": port,
        "user": "desk",
        "folder": "in/[:period:]",
        "files": ["pack"],
        **more,
    }
    return "[deliveries.board]\n" + "".join(f"{key} = {value!r}\n" for key, value in settings.items())


PERIOD = ("--period", "2026-10")


def without_mails(path):
    text = path.read_text()
    path.write_text(text[: text.index("[mails.all]")] + text[text.index("[proof]") :])


def test_files_onto_a_server(tmp_path, tinquire, keys, monkeypatch):
    there = tmp_path / "there"
    there.mkdir()
    (tmp_path / "key").write_bytes(keys[1].export_private_key())
    with sftp(there, keys) as port:
        known = tmp_path / "known"
        known.write_bytes(f"[127.0.0.1]:{port} ".encode() + keys[0].export_public_key())
        path = lay_out(tmp_path, delivery(port, key="key", known_hosts="known"))
        assert tinquire("run", path, *PERIOD).code == 0
        listed = tinquire("send", path, *PERIOD, "--list")
        assert f"desk@127.0.0.1:{port} in/2026-10/Pack 2026-10.xlsx" in listed.out
        sent = tinquire("send", path, *PERIOD, "--server", "127.0.0.1:1")
        assert sent.code == 3  # no mail server there: nothing is sent
        without_mails(path)
        assert tinquire("run", path, *PERIOD).code == 0
        first = tinquire("send", path, *PERIOD)
        target = there / "in/2026-10/Pack 2026-10.xlsx"
        assert first.code == 0 and target.read_bytes() == (tmp_path / "out/2026-10/Pack 2026-10.xlsx").read_bytes()
        assert [one.name for one in target.parent.iterdir()] == [target.name]
        target.unlink()  # whoever it is for has fetched it
        again = tinquire("send", path, *PERIOD)
        assert "before" in again.out and not target.exists()
        (tmp_path / "list.csv").write_text("Name,N\nann,7\n", "utf-8")
        tinquire("run", path, *PERIOD)
        held = tinquire("send", path, *PERIOD)
        assert held.code == 1 and "a file of another content was delivered there" in held.err and not target.exists()
        assert tinquire("send", path, *PERIOD, "--again").code == 0 and target.exists()
        # With a password, and known by the fingerprint of its key.
        monkeypatch.setenv("DESK", "open up")
        mark = keys[0].convert_to_public().get_fingerprint()
        path = lay_out(tmp_path, delivery(port, password_from="DESK", host_key=mark, folder="two"))
        without_mails(path)
        assert tinquire("run", path, *PERIOD).code == 0 and tinquire("send", path, *PERIOD).code == 0
        assert (there / "two/Pack 2026-10.xlsx").exists()
        for change, why in REFUSED:
            path.write_text(path.read_text().replace('"two"', '"three"').replace("'two'", "'three'"))
            text = path.read_text()
            monkeypatch.setenv("DESK", "open up")
            change(path, monkeypatch)
            tinquire("run", path, *PERIOD)
            said = tinquire("send", path, *PERIOD)
            assert said.code == 3 and why in said.err and not (there / "three").exists(), said.err
            path.write_text(text)
    assert not [one for one in Daybook(tmp_path).sent() if one[-2] == "sending"], "what was refused may be tried again"


REFUSED = [
    (lambda path, env: env.setenv("DESK", "shut"), "the login was refused"),
    (lambda path, env: path.write_text(_other_mark(path)), "its key is not that of a server that is known"),
    (lambda path, env: path.write_text(path.read_text().replace("127.0.0.1", "127.0.0.9", 1).replace("port = ", "port = 1 # ")), "no connection"),
]  # fmt: skip


def _other_mark(path):
    text = path.read_text()
    at = text.index("SHA256:") + 7
    return text[:at] + ("B" if text[at] != "B" else "C") + text[at + 1 :]


def in_mailbox(path):
    with closing(mailbox.mbox(path)) as box:
        return list(box)


def test_mails_among_drafts_of_a_file(tmp_path, tinquire):
    path = lay_out(tmp_path, '[drafts]\nfile = "drafts/[:period:].mbox"')
    tinquire("run", path, *PERIOD)
    first, second = (tinquire("send", path, *PERIOD, "--to-drafts") for _ in range(2))
    assert "drafted   2 mails" in first.out and "before    2 mails had been put there" in second.out
    box = in_mailbox(tmp_path / "drafts/2026-10.mbox")
    assert [(one["Subject"], one.get_payload()[1].get_filename()) for one in box] == [
        ("ann", "Pack 2026-10.xlsx"),
        ("bo", "Pack 2026-10.xlsx"),
    ]
    text = box[0].get_payload()[0].get_payload()[0].get_payload()
    assert ">From here on" in text and ">From us" in text
    held = tinquire("send", path, *PERIOD)
    assert held.code == 1 and "it was put among the drafts on" in held.err, "nobody gets it twice"
    assert "among drafts" in tinquire("send", path, *PERIOD, "--list").out


def test_a_mailbox_keeps_what_is_in_it(tmp_path):
    path = tmp_path / "box"
    for name in ("a", "b"):
        mail = (
            f"From: {name}@b.example\r\nTo: x@b.example\r\nDate: old\r\nSubject: {name}\r\n\r\nFrom {name}\r\n".encode()
        )
        add_to_mailbox(path, [mail], AT)
    assert [(one["Subject"], one["Date"]) for one in in_mailbox(path)] == [
        ("a", "Tue, 03 Nov 2026 09:00:00 +0000"),
        ("b", "Tue, 03 Nov 2026 09:00:00 +0000"),
    ]


@contextmanager
def imap(answer="OK"):
    """A server that takes messages into folders (RFC 9051, 6.3.12), or refuses them."""
    got = []
    listener = socket.create_server(("127.0.0.1", 0))

    def serve():
        line, _ = listener.accept()
        stream = line.makefile("rwb", buffering=0)
        stream.write(b"* OK ready\r\n")
        while words := stream.readline():
            tag, command, rest = (words.decode().rstrip() + " ").split(" ", 2)
            if command.upper() == "APPEND":
                stream.write(b"+ go on\r\n")
                got.append((rest.split(" ")[0], stream.read(int(rest.rstrip().rstrip("}").rpartition("{")[2]))))
                stream.readline()
                stream.write(f"{tag} {answer} append\r\n".encode())
                continue
            if command.upper() == "CAPABILITY":
                stream.write(b"* CAPABILITY IMAP4rev1\r\n")
            if command.upper() == "LOGIN" and "wrong" in rest:
                stream.write(f"{tag} NO who are you\r\n".encode())
                continue
            stream.write(f"{tag} OK done\r\n".encode())
            if command.upper() == "LOGOUT":
                break
        line.close()

    thread = threading.Thread(target=serve, daemon=True)
    thread.start()
    try:
        yield listener.getsockname()[1], got
    finally:
        listener.close()


IMAP = '[drafts]\nserver = "127.0.0.1"\nport = {}\nsecurity = "none"\nuser = "desk"\npassword_from = "DESK"\nfolder = "Entwürfe & mehr"'


@pytest.mark.parametrize(("answer", "password", "code", "says", "state"), [
    ("OK", "pw", 0, "drafted   2 mails", ["drafted", "drafted"]), ("NO", "pw", 3, "did not take the mail", []), ("OK", "wrong", 3, "who are you", []),
])  # fmt: skip
def test_mails_among_drafts_of_a_server(tmp_path, tinquire, monkeypatch, answer, password, code, says, state):
    monkeypatch.setenv("DESK", password)
    with imap(answer) as (port, got):
        path = lay_out(tmp_path, IMAP.format(port))
        tinquire("run", path, *PERIOD)
        said = tinquire("send", path, *PERIOD, "--to-drafts")
    assert said.code == code and says in said.out + said.err
    assert [one[-2] for one in Daybook(tmp_path).sent()] == state
    if state:
        assert got[0][0] == '"Entw&APw-rfe' and b"Subject: ann" in got[0][1] and len(got) == 2


ECHO = [sys.executable, "-c", "print('secret')"]
PLACES = [
    (dict(), None),
    (dict(password_from="TQ_PW"), "of the environment"),
    (dict(password_from="TQ_NONE"), "TQ_NONE is not set"),
    (dict(password_command=ECHO), "secret"),
    (dict(password_command=[sys.executable, "-c", "import sys; sys.exit('locked')"]), "gave no password: locked"),
    (dict(password_command=["no such command"]), "could not be run"),
    (dict(password_keyring="linen", user="desk"), "of the keyring"),
    (dict(password_keyring="linen", user="other"), "holds no password of 'other' under 'linen'"),
]


@pytest.mark.parametrize(("login", "found"), PLACES)
def test_passwords(login, found, monkeypatch):
    import keyring

    monkeypatch.setenv("TQ_PW", "of the environment")
    monkeypatch.setattr(
        keyring, "get_password", lambda name, user: "of the keyring" if (name, user) == ("linen", "desk") else None
    )
    try:
        got = password_of(LoginModel(**login), "logging in", "[post]")
    except TinQuireError as error:
        got = error.faults[0].why
    assert got == found if found is None else found in got


@pytest.mark.parametrize("login", [dict(password_from="A", password_command=["b"]), dict(password_keyring="a")])
def test_one_place_for_a_password(login):
    with pytest.raises(ValueError, match=r"one place|name the user"):
        LoginModel(**login)


@pytest.mark.skipif(not hasattr(os, "fork"), reason="kills a process of its own")
def test_sending_that_is_killed_neither_doubles_nor_loses(tmp_path):
    assert sum(send_kills.many(8, 5, tmp_path).values()) == 8
