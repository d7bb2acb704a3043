"""Mails in the docket, and the server that takes them."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from tinquire.docket.schema.base import Model
from tinquire.docket.schema.charts import ChartModel
from tinquire.docket.schema.own import OwnModel
from tinquire.docket.schema.passwords import LoginModel

__all__ = ["DraftsModel", "MailModel", "PostModel"]


class MailModel(Model):
    """A mail, or with `each` one for each row of a table."""

    each: str | None = Field(None, description="The table that repeats the mail.")
    own: dict[str, OwnModel] = Field(
        default_factory=dict, description="Tables of a row's own rows, by the names that slots use for them."
    )
    from_: str = Field(alias="from", description="The sender: Name <address>.")
    to: str = Field(description="Recipients, separated by commas, with slots.")
    cc: str = Field("", description="Further recipients.")
    bcc: str = Field("", description="Recipients whom the others do not see.")
    reply_to: str | None = Field(None, description="The address for replies, if not the sender's.")
    subject: str = Field(description="The subject line, with slots.")
    body: str = Field(
        description="The text: paragraphs with blank lines between, lists with '- ', slots. A paragraph may be a whole "
        "table, pivot or statement (`[:table by_depot:]`), or a picture (`[:picture chart:]`)."
    )
    pictures: dict[str, str | ChartModel] = Field(
        default_factory=dict, description="Files (PNG, with slots) or charts by the names that the body uses for them."
    )
    picture_size: tuple[float, float] = Field(
        (160.0, 80.0), description="Width and height of its charts, in millimetres."
    )
    importance: Literal["high", "normal", "low"] = Field("normal", description="How soon it should be read.")
    attach: list[str] = Field(default_factory=list, description="Outputs of this docket by name, or files, with slots.")
    attach_from: str | None = Field(
        None, description="A column of `each` that lists more of them for each mail, with semicolons between."
    )

    @model_validator(mode="after")
    def _fits(self) -> MailModel:
        if (self.own or self.attach_from) and self.each is None:
            raise ValueError("own and attach_from need each, a table with a mail for each of its rows")
        return self


class PostModel(LoginModel):
    """The mail server that `send` gives the outbox to."""

    server: str = Field("localhost", description="The server's name or address.")
    port: int = Field(25, ge=1, le=65535, description="Its port.")
    security: Literal["none", "starttls", "tls"] = Field("none", description="How the connection is secured.")
    domains: list[str] = Field(
        default_factory=list, description="The only domains to which mails may go, those below them included."
    )
    most_megabytes: float | None = Field(None, gt=0, description="No mail may be larger than this; none if not given.")
    pause: float = Field(0.0, ge=0, le=60, description="Seconds to wait between two mails.")
    password_in_clear: bool = Field(
        False, description="Whether the password may go to another machine over a line that is not secured."
    )


class DraftsModel(LoginModel):
    """Where `send --to-drafts` puts mails, so that a person sends them from a mail program."""

    file: str | None = Field(
        None, description="A file in the standard mailbox format (RFC 4155), with slots of the period."
    )
    server: str | None = Field(None, description="A mail server that keeps folders (IMAP, RFC 9051).")
    port: int = Field(993, ge=1, le=65535, description="Its port.")
    security: Literal["none", "starttls", "tls"] = Field("tls", description="How the connection is secured.")
    folder: str = Field("Drafts", description="The folder for drafts there.")
    password_in_clear: bool = Field(
        False, description="Whether the password may go to another machine over a line that is not secured."
    )

    @model_validator(mode="after")
    def _one_target(self) -> DraftsModel:
        if self.file is not None and self.server is not None:
            raise ValueError("drafts go to a file or to a server, not to both")
        if self.server is not None and self.user is None:
            raise ValueError("a server's folders belong to a user: name the user")
        return self
