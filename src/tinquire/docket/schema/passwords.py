"""Where a password is kept, in the docket: never in the docket itself."""

from __future__ import annotations

from typing import Self

from pydantic import Field, model_validator

from tinquire.docket.schema.base import Model

__all__ = ["LoginModel"]


class LoginModel(Model):
    """A user of a server, and where the user's password is kept."""

    user: str | None = Field(None, description="The user who logs in; none if not given.")
    password_from: str | None = Field(None, description="The environment variable that holds the password.")
    password_keyring: str | None = Field(
        None, description="The name under which the system's keyring holds the user's password."
    )
    password_command: list[str] | None = Field(
        None, min_length=1, description="A command, word by word, whose first line of output is the password."
    )

    @model_validator(mode="after")
    def _one_place(self) -> Self:
        places = (self.password_from, self.password_keyring, self.password_command)
        if sum(place is not None for place in places) > 1:
            raise ValueError("a password comes from one place: password_from, password_keyring or password_command")
        if self.password_keyring is not None and self.user is None:
            raise ValueError("a keyring holds the passwords of users: name the user")
        return self
