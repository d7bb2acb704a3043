"""Files put onto a server over SFTP (SSH File Transfer Protocol, draft-ietf-secsh-filexfer-02, over SSH: RFC 4251).

The server's key is checked before anything is told to it. A file is written under another name and renamed when it is
whole, so that whoever looks there never finds half of one.
"""

from __future__ import annotations

import asyncio
import hashlib
from collections.abc import Awaitable, Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import TYPE_CHECKING, Any, TypeVar

from tinquire.base.faults import AccessError, Fault

if TYPE_CHECKING:
    import asyncssh

__all__ = ["FileServer", "FileSession", "file_session"]

_Result = TypeVar("_Result")
#: How long a silent server is waited for, in seconds.
_PATIENCE = 30
_BLOCK = 1 << 20


@dataclass(frozen=True, slots=True)
class FileServer:
    """A server and a user of it, who logs in with a key, a password (which may be the key's own), or an agent's keys.

    The server is known by the fingerprint of its key, or by a file of known hosts (the user's own without one).
    """

    host: str
    port: int
    user: str
    key: Path | None = None
    password: str | None = None
    known_hosts: Path | None = None
    host_key: str | None = None

    def __str__(self) -> str:
        return f"{self.user}@{self.host}:{self.port}"


class FileSession:
    """An open connection."""

    def __init__(self, server: FileServer, loop: asyncio.AbstractEventLoop, client: asyncssh.SFTPClient) -> None:
        self._server, self._loop, self._client = server, loop, client

    def content(self, path: PurePosixPath) -> str | None:
        """The SHA-256 of a file there in hexadecimal digits; None when there is none. Raises AccessError."""
        return self._run(self._content(path), path)

    async def _content(self, path: PurePosixPath) -> str | None:
        if not await self._client.exists(str(path)):
            return None
        found = hashlib.sha256()
        async with self._client.open(str(path), "rb") as stream:
            while block := await stream.read(_BLOCK):
                assert isinstance(block, bytes)
                found.update(block)
        return found.hexdigest()

    def put_all(self, files: Sequence[tuple[PurePosixPath, Path]]) -> None:
        """Put files in their places, each from a file here; none before all have arrived. Raises AccessError."""
        self._run(self._put_all(files), files[0][0])

    async def _put_all(self, files: Sequence[tuple[PurePosixPath, Path]]) -> None:
        asides = [target.with_name(f".{target.name}.arriving") for target, _ in files]
        for folder in dict.fromkeys(target.parent for target, _ in files):
            await self._client.makedirs(str(folder), exist_ok=True)
        try:
            for aside, (_, source) in zip(asides, files, strict=True):
                await self._client.put(str(source), str(aside))
            for aside, (target, _) in zip(asides, files, strict=True):
                await self._rename(str(aside), str(target))
        except BaseException:
            for aside in asides:
                with suppress(Exception):
                    await self._client.remove(str(aside))
            raise

    async def _rename(self, old: str, new: str) -> None:
        """Rename over what stands there: in one step where the server can, as most do (posix-rename@openssh.com)."""
        import asyncssh

        try:
            await self._client.posix_rename(old, new)
        except (asyncssh.SFTPOpUnsupported, asyncssh.SFTPFailure):
            if await self._client.exists(new):
                await self._client.remove(new)
            await self._client.rename(old, new)

    def _run(self, work: Awaitable[_Result], path: PurePosixPath) -> _Result:
        import asyncssh

        try:
            return self._loop.run_until_complete(asyncio.wait_for(work, None))
        except (asyncssh.Error, OSError) as error:
            raise _trouble(self._server, f"{path}: {_said(error)}") from None


@contextmanager
def file_session(server: FileServer) -> Iterator[FileSession]:
    """Connect to a server. Raises AccessError."""
    import asyncssh

    loop = asyncio.new_event_loop()
    connection: asyncssh.SSHClientConnection | None = None
    try:
        try:
            connection = loop.run_until_complete(_connected(server))
            client = loop.run_until_complete(connection.start_sftp_client())
        except asyncssh.HostKeyNotVerifiable:
            why = "its key is not that of a server that is known"
            do = "ask its keeper for the fingerprint, and write it as host_key; do not go on without it"
            raise AccessError(Fault("delivering to a server", why, str(server), do)) from None
        except asyncssh.PermissionDenied as error:
            why, do = f"the login was refused: {error.reason}", "check the user, the key and the password"
            raise AccessError(Fault("delivering to a server", why, str(server), do)) from None
        except (asyncssh.Error, OSError, ValueError, TimeoutError) as error:
            raise _trouble(server, f"no connection: {_said(error)}") from None
        yield FileSession(server, loop, client)
    finally:
        if connection is not None:
            connection.close()
            with suppress(Exception):
                loop.run_until_complete(asyncio.wait_for(connection.wait_closed(), _PATIENCE))
        loop.close()


async def _connected(server: FileServer) -> asyncssh.SSHClientConnection:
    import asyncssh

    class Client(asyncssh.SSHClient):
        def validate_host_public_key(self, host: str, addr: str, port: int, key: asyncssh.SSHKey) -> bool:
            return server.host_key is not None and key.get_fingerprint().rstrip("=") == server.host_key.rstrip("=")

    asked: dict[str, Any] = {"username": server.user, "connect_timeout": _PATIENCE, "login_timeout": _PATIENCE}
    if server.host_key is not None:
        asked["known_hosts"] = asyncssh.import_known_hosts("")  # only the fingerprint counts
    elif server.known_hosts is not None:
        asked["known_hosts"] = str(server.known_hosts)
    if server.password is not None:
        asked |= {"password": server.password, "passphrase": server.password}
    if server.key is not None:
        asked["client_keys"] = [str(server.key)]
    # Nothing of the user's own settings: the docket says it all.
    return await asyncssh.connect(server.host, server.port, client_factory=Client, config=None, **asked)


def _said(error: BaseException) -> str:
    reason = getattr(error, "reason", "") or getattr(error, "strerror", "") or str(error) or type(error).__name__
    return str(reason).strip()


def _trouble(server: FileServer, why: str) -> AccessError:
    do = "check the delivery in the docket, and that the server can be reached"
    return AccessError(Fault("delivering to a server", why, str(server), do))
