"""The docket as a whole."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field, TypeAdapter

from tinquire.docket.schema.base import Model
from tinquire.docket.schema.checks import CheckModel
from tinquire.docket.schema.deliveries import DeliveryModel
from tinquire.docket.schema.letters import LetterModel
from tinquire.docket.schema.mails import DraftsModel, MailModel, PostModel
from tinquire.docket.schema.pivots import PeriodKind, PivotModel
from tinquire.docket.schema.prints import PrintModel
from tinquire.docket.schema.proof import ProofModel
from tinquire.docket.schema.sources import SourceModel
from tinquire.docket.schema.statements import FigureModel, StatementModel
from tinquire.docket.schema.tables import TableModel
from tinquire.docket.schema.watch import WatchModel
from tinquire.docket.schema.workbooks import WorkbookModel
from tinquire.tables.steps import step_kinds

__all__ = ["DocketModel", "json_schema"]


class DocketModel(Model):
    """The job file of one recurring pack."""

    title: str = Field(description="What the pack is called.")
    period: PeriodKind = Field(description="What one run covers.")
    out: str = Field("out/[:period:]", description="The folder of the outputs.")
    outbox: str = Field("outbox/[:period:]", description="The folder of the finished mails.")
    style: str | None = Field(None, description="The house file.")
    sources: dict[str, SourceModel] = Field(default_factory=dict, description="Where rows come from, by name.")
    tables: dict[str, TableModel] = Field(default_factory=dict, description="Tables made by steps, by name.")
    pivots: dict[str, PivotModel] = Field(default_factory=dict, description="Summaries, by name.")
    statements: dict[str, StatementModel] = Field(default_factory=dict, description="Reports of accounts, by name.")
    figures: dict[str, str | FigureModel] = Field(default_factory=dict, description="Named values: formulas.")
    checks: dict[str, CheckModel] = Field(default_factory=dict, description="Conditions that must hold, by name.")
    workbooks: dict[str, WorkbookModel] = Field(default_factory=dict, description="Workbooks to make, by name.")
    letters: dict[str, LetterModel] = Field(default_factory=dict, description="Letters to write, by name.")
    prints: dict[str, PrintModel] = Field(default_factory=dict, description="Pages to print, by name.")
    mails: dict[str, MailModel] = Field(default_factory=dict, description="Mails to write, by name.")
    deliveries: dict[str, DeliveryModel] = Field(
        default_factory=dict, description="Files that `send` puts into folders, by name."
    )
    proof: ProofModel = Field(ProofModel(), description="The page to look at before anything is sent.")
    approve: Literal["needed", "not needed"] = Field(
        "not needed",
        description="Whether `send` waits until somebody has said `tinquire proof --approve` for exactly these files.",
    )
    post: PostModel = Field(PostModel(), description="The mail server.")
    drafts: DraftsModel = Field(DraftsModel(), description="Where `send --to-drafts` puts mails.")
    watch: WatchModel = Field(WatchModel(), description="What `tinquire watch` waits for.")


def json_schema() -> dict[str, Any]:
    """The docket's JSON Schema (draft 2020-12), steps included."""
    schema = DocketModel.model_json_schema(by_alias=True)
    definitions = schema["$defs"]
    choices = []
    for name, kind in sorted(step_kinds().items()):
        step_schema = TypeAdapter(kind).json_schema(by_alias=True, ref_template="#/$defs/{model}")
        definitions.update(step_schema.pop("$defs", {}))
        definitions[f"Step_{name}"] = step_schema
        choices.append({"$ref": f"#/$defs/Step_{name}"})
    definitions["TableModel"]["properties"]["steps"]["items"] = {"anyOf": choices}
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}
