"""Deliveries in the docket: files put into a folder or onto a server, beside what is mailed."""

from __future__ import annotations

from pydantic import Field, model_validator

from tinquire.docket.schema.passwords import LoginModel

__all__ = ["DeliveryModel"]


class DeliveryModel(LoginModel):
    """Outputs that `send` puts into a folder: of this machine, of one that is mounted here, or of an SFTP server."""

    folder: str = Field(
        description="The folder, with slots of the period. Outside of the job, the folder around it has to be there; "
        "on a server it is made."
    )
    files: list[str] = Field(
        min_length=1, description="Outputs of this docket by name; 'proof' is the proof, 'proof_pdf' the same on paper."
    )
    names: dict[str, str] = Field(
        default_factory=dict,
        description="Other names, with slots of the period, by the output's name; for outputs of one file.",
    )

    server: str | None = Field(None, description="An SFTP server, by name or address; none for this machine's folders.")
    port: int = Field(22, ge=1, le=65535, description="Its port.")
    key: str | None = Field(None, description="The file of the private key with which the user logs in.")
    known_hosts: str | None = Field(
        None, description="A file with the keys of known servers; if not given, the user's own (~/.ssh/known_hosts)."
    )
    host_key: str | None = Field(
        None, pattern=r"^SHA256:[A-Za-z0-9+/]{43}=?$", description="The fingerprint of the server's key: SHA256:..."
    )

    @model_validator(mode="after")
    def _fits(self) -> DeliveryModel:
        if strange := [name for name in self.names if name not in self.files]:
            raise ValueError(f"names has '{strange[0]}', which is not among the files")
        theirs = (self.user, self.key, self.known_hosts, self.host_key, self.password_from, self.password_keyring)
        if self.server is None and any(one is not None for one in (*theirs, self.password_command)):
            raise ValueError("user, key and the like are of a server: name it")
        if self.server is not None and self.user is None:
            raise ValueError("a server's folders belong to a user: name the user")
        return self
