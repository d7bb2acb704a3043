"""A letter filled: conditions settled, blocks, rows and list items repeated, slots filled, wherever text can stand.

What fills slots comes in through a small protocol, so that a run, a list and a test are the same to it.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Protocol

from lxml import etree

from tinquire.base.faults import DataError, Fault
from tinquire.document.laid_tables import LaidTable, table_markup
from tinquire.document.letter import Letter, kind_of
from tinquire.document.story import (
    block_elements,
    cells_of,
    clone,
    holders,
    is_list_item,
    mark_contents,
    may_have_marks,
    own_paragraphs,
    replace_with,
    rows_of,
    settle_ids,
    settle_lines,
    text_nodes,
    text_of,
)
from tinquire.packages.text_runs import fill_runs
from tinquire.slots.slots import (
    FilledSlot,
    Instruction,
    Slot,
    UnfilledSlot,
    fill_or_refuse,
    instruction,
    slot_text,
    split_slots,
)

__all__ = ["Filled", "Scope", "fill_letter"]

_OPENED, _CLOSED = "[:", ":]"
_DOTTED = re.compile(r"([^\W\d][\w ]*)\.\s*\S")
#: So much of the text around is told with a fault.
_AROUND = 60


class Scope(Protocol):
    """What fills slots: values, the rows of tables, and conditions."""

    def resolve(self, slot: Slot) -> FilledSlot | UnfilledSlot: ...

    def rows(self, table: str) -> Sequence[Scope] | None:
        """A scope for each row of a table; None when there is no such table."""

    def laid_table(self, name: str) -> LaidTable | str | None:
        """A table to be put in whole; None for one without rows, a text that says why there is none."""

    def holds(self, condition: str) -> bool | str:
        """Whether a condition holds, or why that cannot be told."""


@dataclass
class Filled:
    """What came of filling a letter: notes on what a reader's program does, and how many slots were filled."""

    notes: list[str] = field(default_factory=list)
    slots: int = 0


#: What is put in for a row of a repeat, by the row's scope and the elements made for it.
Enclosed = Callable[[Scope, list[etree._Element]], list[etree._Element]]


def fill_letter(letter: Letter, scope: Scope, stopped: str, enclosed: Enclosed | None = None) -> Filled:
    """Fill a letter; `enclosed` may put something around what is made for each row. Raises one
    DataError with all slots that nothing fills, repeats that do not end, and conditions that give no yes or no."""
    done = Filled()
    faults: list[Fault] = []
    for part, place in letter.stories():
        if _OPENED.encode() not in _without_markup(letter.package.read(part)):
            continue
        root = letter.root(part)
        story = _Story(f"{letter.name}, {place}", stopped, faults, done, enclosed)
        story.fill(root, scope)
        if story.changed:
            settle_ids(root)
            if mark_contents(root):
                done.notes.append("the contents are marked: the program that opens the letter brings them up to date")
            letter.put(part, root)
    _fill_links(letter, scope, stopped, faults, done)
    _fill_properties(letter, scope, stopped, faults, done)
    if faults:
        raise DataError(*faults)
    return done


def _for_each(text: str) -> Instruction | None:
    said = instruction(text, "for", "each", alone=True)
    return said if said is not None and said.of else None


def _only_if(text: str) -> Instruction | None:
    said = instruction(text, "only", "if")
    return said if said is not None and said.of else None


def _ends(text: str) -> bool:
    said = instruction(text, "end", alone=True)
    return said is not None and not said.of


def _otherwise(text: str) -> bool:
    said = instruction(text, "if", "none", alone=True)
    return said is not None and not said.of


def _without_markup(data: bytes) -> bytes:
    """A part's text: a slot may be split over runs."""
    return re.sub(rb"<[^>]*>", b"", data)


class _Story:
    """One part with text while it is filled."""

    def __init__(
        self, place: str, stopped: str, faults: list[Fault], done: Filled, enclosed: Enclosed | None
    ) -> None:  # fmt: skip
        self._place, self._stopped, self._faults, self._done = place, stopped, faults, done
        self._enclosed = enclosed or (lambda _, elements: elements)
        #: Paragraphs that were filled: a text that looks like a slot is not filled again.
        self._seen: set[etree._Element] = set()
        self.changed = False

    def fill(self, root: etree._Element, scope: Scope) -> None:
        for holder in holders(root):
            if holder.getroottree().getroot() is root:  # what was removed meanwhile is not filled
                self._blocks(holder, scope)
        for paragraph in list(own_paragraphs(root)):
            self._paragraph(paragraph, scope)

    def _fault(self, why: str, text: str, do: str) -> None:
        around = " ".join(text.split())
        around = around if len(around) <= _AROUND else f"{around[:_AROUND]}…"
        self._faults.append(Fault(self._stopped, why, f"{self._place}: '{around}'", do))

    # -- blocks ----------------------------------------------------------------------------------------

    def _blocks(self, holder: etree._Element, scope: Scope) -> None:
        """Settle the conditions of a holder's paragraphs and tables, and repeat its blocks, rows and list items."""
        elements = block_elements(holder)
        place = 0
        while place < len(elements):
            element = elements[place]
            if not may_have_marks(element):
                place += 1
                continue
            text = text_of(element) if kind_of(element) == "p" else ""
            if (said := _for_each(text)) is not None:
                place = self._block(holder, elements, place, said.of, scope)
            elif _ends(text) or _otherwise(text):
                self._fault("nothing begins that it could end", text, "write [:for each TABLE:] in a paragraph above")
                place += 1
            elif (said := instruction(text, "table", alone=True)) is not None and said.of:
                self._whole_table(element, said.of, text, scope)
                place += 1
            elif (said := _only_if(text)) is not None:
                place = self._condition(holder, elements, place, said, text, scope)
            else:
                if kind_of(element) == "tbl":
                    self._table(element, scope)
                elif kind_of(element) == "p" and is_list_item(element):
                    self._item(element, text, scope)
                place += 1

    def _block(
        self, holder: etree._Element, elements: list[etree._Element], start: int, table: str, scope: Scope
    ) -> int:  # fmt: skip
        """Repeat what stands between `for each` and `end`; returns the place of what comes after."""
        depth, end, otherwise = 0, None, None
        for place in range(start, len(elements)):
            text = text_of(elements[place]) if kind_of(elements[place]) == "p" else ""
            depth += _for_each(text) is not None
            if depth == 1 and _otherwise(text):
                otherwise = place
            if _ends(text):
                depth -= 1
                if depth == 0:
                    end = place
                    break
        text = text_of(elements[start])
        if end is None:
            self._fault(f"the repeat of '{table}' does not end", text, "write [:end:] in a paragraph below")
            return start + 1
        rows = scope.rows(table)
        if rows is None:
            self._fault(f"there is no table '{table}'", text, "name a table of the docket, or one of `own`")
            return end + 1
        body = elements[start + 1 : end if otherwise is None else otherwise]
        spare = elements[otherwise + 1 : end] if otherwise is not None else []
        fresh: list[etree._Element] = []
        for row in rows:
            copies = [clone(element) for element in body]
            fresh += self._enclosed(row, self._apart(holder, copies, row))
        if not rows:
            fresh = self._apart(holder, [clone(element) for element in spare], scope)
        for element in elements[start + 1 : end + 1]:
            holder.remove(element)
        replace_with(elements[start], fresh)
        self.changed = True
        return end + 1

    def _whole_table(self, paragraph: etree._Element, name: str, text: str, scope: Scope) -> None:
        """Put a table in the place of a paragraph; one paragraph stays behind it where a table or nothing follows."""
        found = scope.laid_table(name)
        if isinstance(found, str):
            self._fault(found, text, "name a table, pivot or statement of the docket")
            return
        following = paragraph.getnext()
        fresh = [] if found is None else [table_markup(found, paragraph)]
        if fresh and (following is None or kind_of(following) != "p"):
            fresh.append(etree.Element(paragraph.tag, nsmap=paragraph.nsmap))  # type: ignore[arg-type]
        replace_with(paragraph, fresh)
        self.changed = True
        self._done.slots += 1

    def _apart(self, holder: etree._Element, copies: list[etree._Element], scope: Scope) -> list[etree._Element]:
        """Elements filled by themselves, under a scope of their own."""
        apart = etree.Element(holder.tag, nsmap=holder.nsmap)  # type: ignore[arg-type]
        apart.extend(copies)
        self.fill(apart, scope)
        return list(apart)

    def _condition(
        self, holder: etree._Element, elements: list[etree._Element], place: int, said: Instruction, text: str,
        scope: Scope,
    ) -> int:  # fmt: skip
        """Keep or remove a paragraph; when the condition is all that it says, what comes after it."""
        holds = self._holds(said.of, text, scope)
        element = elements[place]
        self.changed = True
        if text[said.end :].strip():
            if holds:
                self._drop_marker(element)
                return place  # it is looked at again, as any other
            holder.remove(element)
            return place + 1
        holder.remove(element)
        if not holds and place + 1 < len(elements):
            holder.remove(elements[place + 1])
            return place + 2
        return place + 1

    def _holds(self, condition: str, text: str, scope: Scope) -> bool:
        found = scope.holds(condition)
        if isinstance(found, str):
            self._fault(f"the condition '{condition}' gives no yes or no: {found}", text, "mend the condition")
            return True
        return found

    def _drop_marker(self, paragraph: etree._Element) -> None:
        """Remove a condition from the beginning of a paragraph."""
        dropped: list[str] = []

        def first(text: str) -> str:
            if not dropped and _only_if(text) is not None:
                dropped.append(text)
                return ""
            return text

        fill_runs(text_nodes(paragraph), _OPENED, _CLOSED, first)

    # -- rows and items --------------------------------------------------------------------------------

    def _table(self, table: etree._Element, scope: Scope) -> None:
        """Keep or remove the rows of a table, and repeat those whose slots name a table's columns. One that had rows to
        repeat, and is left without any, goes, with its headings."""
        repeated, made = False, 0
        for row in rows_of(table):
            paragraphs = list(own_paragraphs(row))
            first = text_of(paragraphs[0]) if paragraphs else ""
            if (said := _only_if(first)) is not None:
                self.changed = True
                if not self._holds(said.of, first, scope):
                    replace_with(row, [])
                    continue
                self._drop_marker(paragraphs[0])
            named = self._named_table([text_of(one) for one in paragraphs], scope)
            if named is None:
                continue
            rows = scope.rows(named) or ()
            repeated, made = True, made + len(rows)
            fresh: list[etree._Element] = []
            for one in rows:
                copy = clone(row)
                self._apart_row(copy, one)
                fresh += self._enclosed(one, [copy])
            replace_with(row, fresh)
            self.changed = True
        left = rows_of(table)
        if (repeated and not made) or (not left and self.changed):
            replace_with(table, [])

    def _apart_row(self, row: etree._Element, scope: Scope) -> None:
        for cell in cells_of(row):
            self._blocks(cell, scope)
        for paragraph in list(own_paragraphs(row)):
            self._paragraph(paragraph, scope)

    def _item(self, paragraph: etree._Element, text: str, scope: Scope) -> None:
        """Repeat a list item whose slots name a table's columns."""
        named = self._named_table([text], scope)
        if named is None:
            return
        fresh: list[etree._Element] = []
        for row in scope.rows(named) or ():
            copy = clone(paragraph)
            self._paragraph(copy, row)
            fresh += self._enclosed(row, [copy])
        replace_with(paragraph, fresh)
        self.changed = True

    def _named_table(self, texts: Sequence[str], scope: Scope) -> str | None:
        """The table whose columns the slots of texts name; a fault for more than one."""
        names: dict[str, str] = {}
        for text in texts:
            for piece in split_slots(text):
                match = _DOTTED.match(piece.inside) if isinstance(piece, Slot) else None
                if match is not None and scope.rows(name := match[1].rstrip()) is not None:
                    names.setdefault(name.casefold(), name)
        if len(names) > 1:
            both = " and ".join(f"'{name}'" for name in list(names.values())[:2])
            self._fault(f"it names columns of {both}", " ".join(texts), "let a row or item name those of one table")
        return next(iter(names.values()), None)

    # -- slots -----------------------------------------------------------------------------------------

    def _paragraph(self, paragraph: etree._Element, scope: Scope) -> None:
        if paragraph in self._seen or not may_have_marks(paragraph):
            return
        self._seen.add(paragraph)
        nodes = text_nodes(paragraph)
        text = "".join(node.text or "" for node in nodes)
        if _OPENED not in text:
            return

        def filled(written: str) -> str:
            found = _filled(written, scope)
            if isinstance(found, UnfilledSlot):
                do = found.do or "fix the slot's name, or add a figure of that name"
                self._fault(f"no value for {written}: {found.why}", text, do)
                return ""
            self._done.slots += 1
            return found

        if text.count(_OPENED) > text.count(_CLOSED):
            self._fault("a slot begins and does not end", text, "write :] behind it")
        if fill_runs(nodes, _OPENED, _CLOSED, filled, keep_spaces=True):
            self.changed = True
            settle_lines(nodes)


def _filled(written: str, scope: Scope) -> str | UnfilledSlot:
    """What a slot becomes as text."""
    (slot,) = split_slots(written) or (Slot(written, ""),)
    if not isinstance(slot, Slot):
        return str(slot)
    found = fill_or_refuse(slot, scope.resolve)
    return found if isinstance(found, UnfilledSlot) else slot_text(found, slot)


# -- links and properties --------------------------------------------------------------------------------

_SCHEME = re.compile(r"(?:https?|mailto|ftp|file):", re.IGNORECASE)
#: Kinds of parts with properties of the document (Part 2, 8; 22.2, 22.3).
_PROPERTIES = ("core-properties", "extended-properties", "custom-properties")


def _fill_text(
    text: str, scope: Scope, told: Callable[[str, UnfilledSlot], None], code: Callable[[str], str], done: Filled
) -> str:
    pieces = []
    for piece in split_slots(text):
        if isinstance(piece, str):
            pieces.append(piece)
            continue
        found = _filled(piece.written, scope)
        if isinstance(found, UnfilledSlot):
            told(piece.written, found)
        else:
            pieces.append(code(found))
            done.slots += 1
    return "".join(pieces)


def _fill_links(letter: Letter, scope: Scope, stopped: str, faults: list[Fault], done: Filled) -> None:
    """Fill the slots of links' targets; what fills one never says where the link leads to at all."""
    from urllib.parse import quote, unquote

    def told(written: str, found: UnfilledSlot) -> None:
        why = f"no value for {written}: {found.why}"
        faults.append(Fault(stopped, why, f"{letter.name}, a link", found.do or "fix the slot's name"))

    for part, place in letter.stories():
        for relation in letter.package.relations(part):
            target = unquote(relation.target)
            if not relation.outside or _OPENED not in target:
                continue
            if not _SCHEME.match(target):
                why = f"the link '{target}' would lead wherever its slot says"
                do = "write how it begins, such as https: or mailto:"
                faults.append(Fault(stopped, why, f"{letter.name}, {place}", do))
                continue
            fresh = _fill_text(target, scope, told, lambda text: quote(text, safe="@"), done)
            letter.package.retarget(part, relation, fresh)


def _fill_properties(letter: Letter, scope: Scope, stopped: str, faults: list[Fault], done: Filled) -> None:
    for relation in letter.package.relations():
        if not relation.kind.endswith(_PROPERTIES) or not letter.package.has(relation.target):
            continue
        if _OPENED.encode() not in letter.package.read(relation.target):
            continue
        root = letter.root(relation.target)
        for element in root.iter():
            if isinstance(element.tag, str) and _OPENED in (element.text or ""):
                place = f"{letter.name}, its property '{kind_of(element)}'"

                def told(written: str, found: UnfilledSlot, place: str = place) -> None:
                    why = f"no value for {written}: {found.why}"
                    faults.append(Fault(stopped, why, place, found.do or "fix the slot's name"))

                element.text = _fill_text(element.text or "", scope, told, str, done) or None
        letter.put(relation.target, root)
