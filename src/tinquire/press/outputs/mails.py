"""Mails of a run: one for each row, complete or not at all."""

from __future__ import annotations

import hashlib
import re
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from email.headerregistry import Address
from functools import lru_cache, partial
from pathlib import Path, PurePath
from typing import Any

from tinquire.base.faults import DataError, Fault, TinQuireError, UseError, merge_errors
from tinquire.base.file_names import safe_file_name
from tinquire.base.noted_reads import note_read
from tinquire.base.wording import known_names
from tinquire.docket.schema.mails import MailModel
from tinquire.document.laid_tables import LaidTable
from tinquire.post.bodies import Body, BodyStyle
from tinquire.post.message import (
    Attachment,
    Mail,
    check_mail,
    encoded_size,
    in_domains,
    mail_pieces,
    parse_address,
)  # fmt: skip
from tinquire.press.compute.results import Results
from tinquire.press.compute.slot_scope import SlotScope, unfilled_fault
from tinquire.press.outputs.mail_bodies import mail_body
from tinquire.press.outputs.output import Made, Making, OutputKind, Piece
from tinquire.press.outputs.own_rows import OwnTables
from tinquire.slots.slots import FilledSlot, Slot, UnfilledSlot, fill_text, split_slots

__all__ = ["MAILS", "MadeMail"]

_MARK = re.compile("\x00(\\d+)\x00")


@dataclass(frozen=True, slots=True, kw_only=True)
class MadeMail(Made):
    """A finished mail, and what the record keeps of it."""

    identity: str
    to: tuple[str, ...]
    subject: str
    #: The names of its attachments.
    attachments: tuple[str, ...] = ()

    @property
    def file(self) -> str:
        return self.path.name


class _FileNotMadeError(Exception):
    """A mail whose attachment is not among the part of the pack that is made: the mail is not made, either."""


@dataclass(frozen=True)
class _MailWriter:
    """What all mails of one entry share."""

    making: Making
    name: str
    model: MailModel
    body_style: BodyStyle
    #: Files that were read already, by their path.
    read: dict[Path, bytes] = field(default_factory=dict)
    #: Encodes an attachment; one that all mails have, once.
    encode: Callable[[Attachment], bytes] = field(default_factory=lambda: lru_cache(maxsize=2)(Attachment.lines))

    #: Tables that are the same in all mails, by their names.
    laid: dict[str, LaidTable | None] = field(default_factory=dict)

    @property
    def results(self) -> Results:
        return self.making.results

    def body(self, scope: SlotScope, place: str) -> Body | str:
        """What a mail says. Raises UseError and DataError."""
        return mail_body(self, scope, place)

    @property
    def where(self) -> str:
        return self.results.docket.where("mails", self.name)

    def text(self, raw: str, scope: SlotScope, part: str) -> str:
        """A text with its slots filled. Raises UseError."""
        return scope.filled(raw, f"mail '{self.name}', {part}", self.where)


def plan_mails(making: Making, name: str) -> Iterator[Piece]:
    """All mails of one entry are one piece: they are put together when they are written."""
    yield Piece(name=name, place=0, path=making.outbox, key="")


def make_mails(making: Making, piece: Piece) -> Iterator[MadeMail]:
    """All mails of one entry. Raises one error with all that is wrong, a missing attachment among it."""
    desk, results = _desk(making, piece.name), making.results
    model, name = desk.model, piece.name
    if model.each is None or not results.tables[model.each].height:
        tuple(_attachments(desk, results.slots()))  # a list without rows hides no attachment that is missing
    errors: list[TinQuireError] = []
    mails: list[MadeMail] = []
    seen: Counter[tuple[str, ...]] = Counter()
    names: Counter[str] = Counter()
    for position, scope in _rows(results, model, name):
        try:
            mail = _mail(desk, scope, seen, position)
            names[mail.file] += 1
            mails.append(replace(mail, path=making.outbox / _numbered_file(mail.file, names[mail.file])))
        except _FileNotMadeError:
            continue
        except TinQuireError as error:
            errors.append(error)
    if errors:
        raise merge_errors(errors)
    yield from mails


def _desk(making: Making, name: str) -> _MailWriter:
    results = making.results
    house, body = results.house, results.house.look("body")
    fonts = (house.font, *(part.strip() for part in house.fallback.split(",")))
    body_style = BodyStyle(fonts, house.size, house.colour(body.colour) if body.colour else "000000")
    return _MailWriter(making, name, results.docket.model.mails[name], body_style)


def _names(making: Making, name: str) -> Iterator[str]:
    """Whom mails will go to, and with which subject."""
    desk = _desk(making, name)
    for position, scope in _rows(making.results, desk.model, name):
        to = ", ".join(one.addr_spec for one in _addresses(desk, desk.model.to, scope, "to", position))
        yield f"{to}: {_subject(desk, scope)}"


def _subject(desk: _MailWriter, scope: SlotScope) -> str:
    return " ".join(desk.text(desk.model.subject, scope, "subject").split())


def _rows(results: Results, model: MailModel, name: str) -> Iterator[tuple[str, SlotScope]]:
    """For each mail where its row came from, and the slots it may use."""
    scope = results.slots()
    if model.each is None:
        yield "", scope
        return
    table = results.tables[model.each]
    own = OwnTables(results, table, model.own, f"mail '{name}'", results.docket.where("mails", name))
    for row in range(table.height):
        yield table.where(row), own.over(scope.at(table, row))


def _attachments(desk: _MailWriter, scope: SlotScope, place: str = "") -> Iterator[Attachment]:
    """The files named by the docket, read whole. Raises UseError and DataError for those that are missing."""
    results, name, outputs = desk.results, desk.name, desk.making.made
    for number, entry, where in _entries(desk, scope, place):
        if entry in outputs:
            for made in _own_files(desk, entry, scope, place):
                yield Attachment(made.path.name, made.content, made.size)
            continue
        text, unfilled = (
            (entry, ()) if number is None else fill_text(entry, lambda slot: _as_part_of_a_name(scope.resolve(slot)))
        )
        if unfilled:
            raise UseError(*(unfilled_fault(item, f"mail '{name}', attachments", where) for item in unfilled))
        path = results.docket.base / text
        written = next((file for files in outputs.values() for file in files if file.path == path), None)
        if written is None and path not in desk.read:
            if not path.is_file():
                raise _missing_attachment(name, where, text, list(outputs))
            desk.read[path] = note_read(path, path.read_bytes())
        if written is not None and written not in _of_row(scope, (written,)):
            why = f"'{path.name}' was made for another row"
            raise DataError(Fault(f"mail '{name}', attachments", why, place or where, "attach the output by its name"))
        if written is not None:
            yield Attachment(path.name, written.content, written.size)
        else:
            yield Attachment(path.name, desk.read[path], len(desk.read[path]))


def _entries(desk: _MailWriter, scope: SlotScope, place: str) -> Iterator[tuple[int | None, str, str]]:
    """What is attached, and where that is said: entries of the docket by their number, those of a row's list without.
    Raises DataError for a list that leads out of the job's folder."""
    for number, entry in enumerate(desk.model.attach):
        yield number, entry, desk.results.docket.where("mails", desk.name, "attach", number)
    column = desk.model.attach_from
    if column is None or scope.row is None:
        return
    where, stopped = place or desk.where, f"mail '{desk.name}', attachments"
    at = scope.row.index_of(column)
    if at is None:
        why = f"'{desk.model.each}' has no column '{column}': {known_names(column, scope.row.headings)}"
        raise UseError(Fault(stopped, why, desk.where, "name one of these in attach_from"))
    held = scope.row.columns[at][0]
    for entry in filter(None, map(str.strip, held.split(";") if isinstance(held, str) else ())):
        path = PurePath(entry)
        if path.is_absolute() or ".." in path.parts or "\\" in entry:
            why = f"'{entry}' in column '{column}' leads out of the job's folder"
            raise DataError(Fault(stopped, why, where, "name a file below it, or an output"))
        yield None, entry, where


def _is_repeated(results: Results, output: str) -> bool:
    """Whether an output has a file for each row of a table."""
    model = results.docket.model
    kinds: tuple[Mapping[str, Any], ...] = (model.workbooks, model.letters, model.prints)
    return any(kind[output].each is not None for kind in kinds if output in kind)


def _own_files(desk: _MailWriter, entry: str, scope: SlotScope, place: str) -> Sequence[Made]:
    """The files of an output that go with a row: of a split workbook the one of the row's own value. Raises DataError
    when there is none: nobody gets the file of another."""
    files = desk.making.made[entry]
    if not files and desk.making.partial:
        raise _FileNotMadeError
    if files and files[0].cut is None and desk.model.each is not None and _is_repeated(desk.results, entry):
        why = f"'{entry}' has a file for each row of a table, and it is not said which of them belongs to a mail"
        do = "name the column of the row's own value there: key = ..."
        raise UseError(Fault(f"mail '{desk.name}', attachments", why, desk.where, do))
    if not files or files[0].cut is None:
        return files
    column = files[0].cut[0]
    at = None if scope.row is None else scope.row.index_of(column)
    stopped = f"mail '{desk.name}', attachments"
    if scope.row is None or at is None:
        why = f"'{entry}' is split by '{column}', and the mail has no row with such a column"
        raise UseError(Fault(stopped, why, desk.where, f"write each = a table with the column '{column}'"))
    own = _of_row(scope, files)
    if not own and desk.making.partial:
        raise _FileNotMadeError
    if not own:
        why = f"'{entry}' has no file of '{scope.row.columns[at][0]}'"
        raise DataError(Fault(stopped, why, place or desk.where, "leave the row out, or fix its value"))
    return own


def _of_row(scope: SlotScope, files: Sequence[Made]) -> list[Made]:
    """The files that were made for the row at hand, or for no row at all."""
    found = []
    for file in files:
        if file.cut is None:
            found.append(file)
            continue
        column, wanted = file.cut
        at = None if scope.row is None else scope.row.index_of(column)
        value = None if scope.row is None or at is None else scope.row.columns[at][0]
        if at is not None and type(value) is type(wanted) and value == wanted:
            found.append(file)
    return found


def _as_part_of_a_name(found: FilledSlot | UnfilledSlot) -> FilledSlot | UnfilledSlot:
    """A slot's text in a path: one from a source never leads to another folder."""
    if isinstance(found, UnfilledSlot) or not isinstance(found.value, str):
        return found
    return found._replace(value=safe_file_name(found.value))


def _missing_attachment(mail: str, where: str, entry: str, attachable: Sequence[str]) -> DataError:
    """The error for an attachment that is neither an output nor a file."""
    near = known_names(entry, list(attachable))
    why = f"the attachment '{entry}' is neither an output of this docket nor a file: {near}"
    return DataError(Fault(f"mail '{mail}', attachments", why, where, "put the file there, or fix its name"))


def _mail(desk: _MailWriter, scope: SlotScope, seen: Counter[tuple[str, ...]], place: str) -> MadeMail:
    model = desk.model
    sender = _addresses(desk, model.from_, scope, "from", place)
    to = _addresses(desk, model.to, scope, "to", place)
    cc = _addresses(desk, model.cc, scope, "cc", place) if model.cc.strip() else ()
    bcc = _addresses(desk, model.bcc, scope, "bcc", place) if model.bcc.strip() else ()
    reply = _addresses(desk, model.reply_to, scope, "reply_to", place) if model.reply_to else ()
    addresses = tuple(address.addr_spec for address in (*to, *cc, *bcc))
    seen[addresses] += 1
    identity = _identity(desk, addresses, seen[addresses], sender[0])
    subject = _subject(desk, scope)
    mail = Mail(
        identity=identity,
        sender=sender[0],
        to=to,
        cc=cc,
        bcc=bcc,
        reply_to=reply[0] if reply else None,
        subject=subject,
        body=desk.body(scope, place),
        importance=model.importance,
        date=desk.making.moment,
        attachments=tuple(_attachments(desk, scope, place)),
        body_style=desk.body_style,
    )
    file = safe_file_name(f"{desk.name} - {addresses[0]}.eml")
    try:
        check_mail(mail)
    except ValueError as error:
        raise DataError(Fault(f"mail '{desk.name}'", str(error), place or desk.where, "fix the row")) from None
    _require_fit(desk, mail, addresses, place)
    return MadeMail(
        name=desk.name, path=desk.making.outbox / file, content=partial(mail_pieces, mail, desk.encode),
        identity=identity,
        to=addresses, subject=subject, attachments=tuple(one.name for one in mail.attachments),
    )  # fmt: skip


def _require_fit(desk: _MailWriter, mail: Mail, addresses: Sequence[str], place: str) -> None:
    """Raises DataError for a mail that is larger, or goes elsewhere, than [post] allows."""
    post, stopped = desk.results.docket.model.post, f"mail '{desk.name}'"
    if strangers := [address for address in addresses if not in_domains(address, post.domains)]:
        why = f"'{strangers[0]}' is in none of the domains allowed ({', '.join(post.domains)})"
        raise DataError(Fault(stopped, why, place or desk.where, "fix the address, or allow its domain in [post]"))
    size = sum(encoded_size(one.size) for one in mail.attachments) / (1 << 20)
    if post.most_megabytes is not None and size > post.most_megabytes:
        why = f"with its attachments it has {size:,.1f} MB, and {post.most_megabytes:g} are allowed"
        do = "attach less, or raise most_megabytes in [post] if the server takes more"
        raise DataError(Fault(stopped, why, place or desk.where, do))


def _numbered_file(file: str, number: int) -> str:
    """A file's name that was given before, distinguished by a number."""
    return file if number == 1 else f"{file.removesuffix('.eml')} ({number}).eml"


def _identity(desk: _MailWriter, addresses: tuple[str, ...], ordinal: int, sender: Address) -> str:
    """A Message-ID (RFC 5322, 3.6.4) that the same mail of the same period always has."""
    title, period = desk.results.docket.model.title, desk.results.period.text
    key = "\n".join((title, desk.name, period, *addresses, str(ordinal)))
    return f"<{hashlib.sha256(key.encode()).hexdigest()[:32]}@{sender.domain}>"


def _addresses(desk: _MailWriter, raw: str, scope: SlotScope, part: str, place: str) -> tuple[Address, ...]:
    """Recipients as the docket writes them, `Name <address>, ...`.

    Commas and angle brackets count only where the docket wrote them: what a slot brings stays one name or one address.
    """
    values: list[str] = []
    marked = ""
    for piece in split_slots(raw):
        if isinstance(piece, Slot):
            marked += f"\x00{len(values)}\x00"
            values.append(desk.text(piece.written, scope, part).strip())
        else:
            marked += piece

    def back(text: str) -> str:
        return _MARK.sub(lambda found: values[int(found[1])], text).strip()

    result = []
    for entry in filter(str.strip, marked.split(",")):
        name, bracket, address = entry.rpartition("<")
        text = address.strip().removesuffix(">") if bracket else entry
        try:
            result.append(parse_address(back(name), back(text)))
        except ValueError as error:
            stopped = f"mail '{desk.name}', {part}"
            raise DataError(Fault(stopped, str(error), place or desk.where, "fix the address in the list")) from None
    if not result:
        why = "no recipient is left when its slots are filled" if part != "from" else "there is no sender"
        raise DataError(Fault(f"mail '{desk.name}', {part}", why, place or desk.where, "fill in the address"))
    return tuple(result)


def _foresee(results: Results, attachable: Sequence[str]) -> Iterator[TinQuireError]:
    """Attachments that are missing whatever the data say."""
    for name, mail in results.docket.model.mails.items():
        for number, entry in enumerate(mail.attach):
            if entry not in attachable and "[:" not in entry and not (results.docket.base / entry).is_file():
                where = results.docket.where("mails", name, "attach", number)
                yield _missing_attachment(name, where, entry, attachable)


MAILS = OutputKind(
    "mails", "mail", "writing mails {}", plan_mails, make_mails, _foresee, _names, attachable=False, swept=True
)
