"""Sending killed at any moment, against a mail server with TLS and login and a file server that speaks SFTP.

Whatever the moment, nobody gets a mail twice, none is lost without a word, no file is there in part; and what is sent
again afterwards completes it. `python tests/press/send_kills.py 200 7` makes two hundred kills from seed 7.
"""

from __future__ import annotations

import asyncio
import contextlib
import datetime
import io
import json
import os
import random
import shutil
import signal
import ssl
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

from tinquire.cli.main import main as tinquire

MAILS = 6
DOCKET = """
title = "T"
period = "month"
[sources.list]
file = "list.csv"
[workbooks.pack]
name = "Pack.xlsx"
sheets = [{ name = "List", table = "list" }]
[mails.all]
each = "list"
from = "us@b.example"
to = "[:Name:]@b.example"
subject = "[:Name:]"
body = "x"
attach = ["pack"]
[proof]
pictures = false
pdf = false
[deliveries.there]
server = "localhost"
port = SFTP
user = "desk"
folder = "in/NUMBER"
files = ["pack", "proof"]
password_from = "DESK"
host_key = "MARK"
[post]
server = "localhost"
port = SMTP
security = "starttls"
user = "desk"
password_from = "DESK"
"""


def certificate(folder: Path) -> None:
    """A key and a certificate of localhost that vouches for itself."""
    from cryptography import x509
    from cryptography.hazmat.primitives import hashes, serialization
    from cryptography.hazmat.primitives.asymmetric import ec

    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, "localhost")])
    now = datetime.datetime.now(datetime.UTC)
    made = (
        x509.CertificateBuilder().subject_name(name).issuer_name(name).public_key(key.public_key())
        .serial_number(1).not_valid_before(now - datetime.timedelta(days=1)).not_valid_after(now + datetime.timedelta(days=9))
        .add_extension(x509.SubjectAlternativeName([x509.DNSName("localhost")]), critical=False)
        .add_extension(x509.BasicConstraints(ca=True, path_length=None), critical=True)
        .sign(key, hashes.SHA256())
    )  # fmt: skip
    (folder / "cert.pem").write_bytes(made.public_bytes(serialization.Encoding.PEM))
    plain = serialization.NoEncryption()
    (folder / "key.pem").write_bytes(
        key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, plain)
    )


def serve(folder: Path) -> None:
    """Both servers, in this process, until it is ended; the mails that were taken are noted in a file."""
    import asyncssh
    from aiosmtpd.smtp import SMTP, AuthResult

    class Handler:
        async def handle_DATA(self, server, session, envelope):  # noqa: N802 - its library calls it so
            await asyncio.sleep(0.01)
            text = envelope.content.decode(errors="replace")
            identity = next(line for line in text.splitlines() if line.casefold().startswith("message-id:"))
            with (folder / "taken").open("a") as taken:
                taken.write(identity.partition(":")[2].strip() + "\n")
            return "250 taken"

    def login(server, session, envelope, mechanism, data):
        return AuthResult(success=(data.login, data.password) == (b"desk", b"open up"))

    class Server(asyncssh.SSHServer):
        def password_auth_supported(self):
            return True

        def validate_password(self, username, password):
            return (username, password) == ("desk", "open up")

    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(folder / "cert.pem", folder / "key.pem")

    async def both():
        loop = asyncio.get_running_loop()

        def smtp():
            return SMTP(Handler(), tls_context=context, require_starttls=True, authenticator=login, auth_required=True)

        mails = await loop.create_server(smtp, "localhost", 0)
        key = asyncssh.generate_private_key("ssh-ed25519")
        files = await asyncssh.listen(
            "localhost", 0, server_factory=Server, server_host_keys=[key],
            sftp_factory=lambda chan: asyncssh.SFTPServer(chan, chroot=str(folder / "files")),
        )  # fmt: skip
        told = {"smtp": mails.sockets[0].getsockname()[1], "sftp": files.get_port()}
        told["mark"] = key.convert_to_public().get_fingerprint()
        print(json.dumps(told), flush=True)
        await asyncio.Event().wait()

    (folder / "files").mkdir(exist_ok=True)
    asyncio.run(both())


def quiet(*words: str) -> int:
    with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
        return tinquire(list(words))


def attempt(folder: Path, job: Path, number: int, chance: random.Random, whole: float) -> str:
    """One kill while sending, then sending until all is done; what was left by the kill, in a word."""
    place = folder / f"job{number}"
    shutil.copytree(job, place)
    path = place / "docket.toml"
    path.write_text(
        path.read_text().replace("in/NUMBER", f"in/{number}").replace('title = "T"', f'title = "T{number}"')
    )
    taken = folder / "taken"
    assert quiet("run", str(path), "--period", "2026-10") == 0
    words = ("send", str(path), "--period", "2026-10")
    before = Counter(taken.read_text().splitlines()) if taken.exists() else Counter()
    child = os.fork()
    if not child:
        with contextlib.suppress(BaseException):
            quiet(*words)
        os._exit(0)
    time.sleep(chance.random() * whole * 1.2)
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)
    time.sleep(0.1)
    there = folder / f"files/in/{number}"
    placed = {one.name: one.read_bytes() for one in there.glob("[!.]*")} if there.exists() else {}
    for name, data in placed.items():
        assert data == (place / "out/2026-10" / name).read_bytes(), "a file is there whole or not at all"
    first = sum((Counter(taken.read_text().splitlines()) - before).values()) if taken.exists() else 0
    quiet(*words)
    quiet(*words)
    got = Counter(taken.read_text().splitlines()) - before
    states = json.loads(_listed(words))
    held = [one for one in states if one.get("state") == "broke off"]
    assert all(count == 1 for count in got.values()), got
    assert len(got) <= MAILS and len(got) + len(held) >= MAILS, (len(got), states)
    assert not [one for one in states if one.get("state") == "ready"], states
    names = sorted(one.name for one in there.iterdir())
    assert names == ["Pack.xlsx", "Proof 2026-10.html"], names
    shutil.rmtree(place)
    return "all" if first == MAILS else "none" if not first else "some"


def _listed(words: tuple[str, ...]) -> str:
    out = io.StringIO()
    with contextlib.redirect_stdout(out):
        tinquire([*words, "--list", "--json"])
    return out.getvalue()


def many(count: int, seed: int, folder: Path) -> Counter[str]:
    """Kill so many; what was left, counted."""
    certificate(folder)
    os.environ |= {"SSL_CERT_FILE": str(folder / "cert.pem"), "DESK": "open up"}
    job = folder / "job"
    job.mkdir()
    server = subprocess.Popen(
        [sys.executable, __file__, "serve", str(folder)], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
    )
    try:
        assert server.stdout is not None
        told = json.loads(server.stdout.readline())
        docket = (
            DOCKET.replace("SFTP", str(told["sftp"])).replace("SMTP", str(told["smtp"])).replace("MARK", told["mark"])
        )
        (job / "docket.toml").write_text(docket)
        (job / "list.csv").write_text("Name\n" + "".join(f"n{number}\n" for number in range(MAILS)))
        chance, tally = random.Random(seed), Counter()
        trial = folder / "trial"
        shutil.copytree(job, trial)
        assert quiet("run", str(trial / "docket.toml"), "--period", "2026-10") == 0
        began = time.monotonic()
        assert quiet("send", str(trial / "docket.toml"), "--period", "2026-10") == 0
        whole = time.monotonic() - began
        for number in range(count):
            tally[attempt(folder, job, number, chance, whole)] += 1
        return tally
    finally:
        server.terminate()
        server.wait()
        if server.stdout is not None:
            server.stdout.close()


if __name__ == "__main__":
    if sys.argv[1] == "serve":
        serve(Path(sys.argv[2]))
    else:
        with tempfile.TemporaryDirectory() as folder:
            print(dict(many(int(sys.argv[1]), int(sys.argv[2]), Path(folder))))
