"""Deliveries in the docket: files put into a folder, beside what is mailed."""

from __future__ import annotations

from pydantic import Field, model_validator

from tinquire.docket.schema.base import Model

__all__ = ["DeliveryModel"]


class DeliveryModel(Model):
    """Outputs that `send` puts into a folder, also one of another machine that is mounted here."""

    folder: str = Field(
        description="The folder, with slots of the period. Outside of the job, the folder around it has to be there."
    )
    files: list[str] = Field(min_length=1, description="Outputs of this docket by name; 'proof' is the proof.")
    names: dict[str, str] = Field(
        default_factory=dict,
        description="Other names, with slots of the period, by the output's name; for outputs of one file.",
    )

    @model_validator(mode="after")
    def _fits(self) -> DeliveryModel:
        if strange := [name for name in self.names if name not in self.files]:
            raise ValueError(f"names has '{strange[0]}', which is not among the files")
        return self
