"""The proof in the docket."""

from __future__ import annotations

from pydantic import Field

from tinquire.docket.schema.base import Model

__all__ = ["ProofModel"]


class ProofModel(Model):
    """The page that is made with every run, to be looked at before anything is sent."""

    name: str = Field("Proof [:period:].html", description="The file's name, with slots, in the folder of the outputs.")
    pictures: bool = Field(True, description="Whether it shows a small picture of each output's first page.")
    pdf: bool = Field(True, description="Whether it is made as a PDF, too, beside the page.")
