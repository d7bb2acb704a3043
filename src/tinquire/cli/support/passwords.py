"""Passwords from where they are kept: the environment, the system's keyring, or a command."""

from __future__ import annotations

import os
import subprocess
from typing import Any

from tinquire.base.faults import AccessError, Fault, UseError

__all__ = ["password_of"]

#: Seconds that a command may take: it may ask for a finger or a PIN.
_PATIENCE = 120


def password_of(login: Any, stopped: str, section: str) -> str | None:
    """The password of a login of the docket; None when it names no place. Raises UseError when it is not there,
    AccessError when the place cannot be asked."""
    if login.password_from is not None:
        password = os.environ.get(login.password_from)
        if password is None:
            why = f"the environment variable {login.password_from} is not set"
            raise UseError(Fault(stopped, why, do=f"set it, or fix password_from in {section}"))
        return password
    if login.password_keyring is not None:
        return _of_keyring(login.password_keyring, login.user, stopped)
    if login.password_command is not None:
        return _of_command(login.password_command, stopped, section)
    return None


def _of_keyring(name: str, user: str, stopped: str) -> str:
    import keyring
    from keyring.errors import KeyringError

    try:
        password = keyring.get_password(name, user)
    except KeyringError as error:
        why = f"the system's keyring cannot be asked: {error}"
        raise AccessError(Fault(stopped, why, do="unlock it, or use password_from")) from None
    if password is None:
        why = f"the system's keyring holds no password of '{user}' under '{name}'"
        raise UseError(Fault(stopped, why, do=f"put it there: python -m keyring set {name} {user}"))
    return password


def _of_command(words: list[str], stopped: str, section: str) -> str:
    try:
        done = subprocess.run(words, capture_output=True, text=True, timeout=_PATIENCE, check=False, stdin=None)
    except (OSError, subprocess.TimeoutExpired) as error:
        why = f"the command '{words[0]}' could not be run: {error}"
        raise AccessError(Fault(stopped, why, do=f"fix password_command in {section}")) from None
    first = done.stdout.splitlines()[0] if done.stdout.splitlines() else ""
    if done.returncode or not first:
        said = done.stderr.strip().splitlines()[-1:] or [f"it ended with {done.returncode}"]
        why = f"the command '{words[0]}' gave no password: {said[0]}"
        raise AccessError(Fault(stopped, why, do=f"run it by hand, or fix password_command in {section}"))
    return first
