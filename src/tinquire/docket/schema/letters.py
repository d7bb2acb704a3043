"""Letters in the docket: word-processing documents filled, once or for each row of a table."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from tinquire.docket.schema.base import Model
from tinquire.docket.schema.charts import ChartModel
from tinquire.docket.schema.own import OwnModel

__all__ = ["LetterModel"]


LetterFormat = Literal["docx", "pdf"]


def _document_alone() -> list[LetterFormat]:
    return ["docx"]


class LetterModel(Model):
    """A letter made by a run, or with `each` one for each row of a table."""

    template: str = Field(description="A word-processing document (.docx) with slots.")
    name: str = Field(description="The file's name, with slots, ending in .docx.")
    to: list[LetterFormat] = Field(
        default_factory=_document_alone, min_length=1, description="What is written: the document, its pages, or both."
    )
    each: str | None = Field(None, description="The table that repeats the letter.")
    own: dict[str, OwnModel] = Field(
        default_factory=dict, description="Tables of a row's own rows, by the names that slots use for them."
    )
    key: str | None = Field(
        None, description="A column of `each`: a mail gets the letters that have its own row's value there."
    )
    pictures: dict[str, str | ChartModel] = Field(
        default_factory=dict,
        description="Files or charts for pictures of the template: by the slot that is their alternative text, or by "
        "their own name or that of the file they were taken from.",
    )

    @model_validator(mode="after")
    def _fits(self) -> LetterModel:
        if not self.name.casefold().endswith(".docx"):
            raise ValueError("the name ends in .docx")
        if self.each is None and (self.own or self.key):
            raise ValueError("own and key need each, a table with a letter for each of its rows")
        return self
