"""Bodies of mails: texts, and the docket's tables, pivots, statements and charts among them."""

from __future__ import annotations

import re
from typing import Protocol

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import known_names
from tinquire.docket.schema.mails import MailModel
from tinquire.document.laid_tables import LaidTable
from tinquire.post.bodies import Body, Picture
from tinquire.press.compute.results import Results
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.letter_tables import laid_table
from tinquire.press.outputs.output import Making
from tinquire.press.outputs.pictures import read_picture
from tinquire.press.outputs.template_pictures import chart_of_results, drawn_chart
from tinquire.slots.slots import slot_name

__all__ = ["mail_body"]

#: A paragraph of a body that is a whole table or a picture.
_WHOLE = re.compile(r"(?m)^[ \t]*\[:[ \t]*(table|picture)[ \t]+([^\n]+?)[ \t]*:\][ \t]*$")


class Desk(Protocol):
    """What all mails of one entry share."""

    @property
    def making(self) -> Making: ...
    @property
    def results(self) -> Results: ...
    @property
    def name(self) -> str: ...
    @property
    def model(self) -> MailModel: ...
    @property
    def where(self) -> str: ...
    @property
    def laid(self) -> dict[str, LaidTable | None]: ...
    def text(self, raw: str, scope: SlotScope, part: str) -> str: ...


def mail_body(desk: Desk, scope: SlotScope, place: str) -> Body | str:
    """What a mail says: a text, or its parts where there are tables and pictures among them. A table without rows is
    left out. Raises UseError and DataError."""
    model = desk.model
    parts: list[str | LaidTable | Picture] = []
    end = 0
    for found in _WHOLE.finditer(model.body):
        parts.append(desk.text(model.body[end : found.start()], scope, "body"))
        make = _table if found[1] == "table" else _picture
        part = make(desk, found[2], scope, place)
        parts += [] if part is None else [part]
        end = found.end()
    if not end:
        return desk.text(model.body, scope, "body")
    parts.append(desk.text(model.body[end:], scope, "body"))
    return tuple(part for part in parts if not isinstance(part, str) or part.strip())


def _table(desk: Desk, name: str, scope: SlotScope, place: str) -> LaidTable | None:
    own = any(slot_name(key) == slot_name(name) for key in desk.model.own)
    if own or name not in desk.laid:
        found = laid_table(desk.results, name, scope, desk.making.moment, place or desk.where)
        if isinstance(found, str):
            stopped = f"mail '{desk.name}', body"
            raise UseError(Fault(stopped, found, desk.where, "name a table, pivot or statement of the docket"))
        desk.laid[name] = found
    return desk.laid[name]


def _picture(desk: Desk, name: str, scope: SlotScope, place: str) -> Picture:
    model, stopped, where = desk.model, f"mail '{desk.name}', body", place or desk.where
    given = next((one for key, one in model.pictures.items() if slot_name(key) == slot_name(name)), None)
    if given is None:
        why = f"there is no picture '{name}': {known_names(name, list(model.pictures))}"
        raise UseError(Fault(stopped, why, desk.where, 'name it: pictures = { NAME = "file.png" }'))
    width, height = (length * 72 / 25.4 for length in model.picture_size)
    if isinstance(given, str):
        path = desk.results.docket.base / scope.filled(given, stopped, where)
        try:
            file, size = read_picture(path)
        except ValueError as error:
            raise UseError(Fault(stopped, str(error), where, "put it there, or fix its name")) from None
        if file.form != "png":
            raise UseError(Fault(stopped, f"'{path.name}' is no PNG", where, "save it as one"))
        return Picture(file.content, name, size[0] * 72 / 25.4, size[1] * 72 / 25.4)
    chart = chart_of_results(desk.results, given, scope, (), where)
    return Picture(drawn_chart(chart, (width, height)), chart.alt, width, height)
