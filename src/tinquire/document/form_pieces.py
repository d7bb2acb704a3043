"""What a form of a letter consists of: the bytes between its slots, and what is put in their places."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import chain, pairwise, zip_longest
from urllib.parse import quote

from tinquire.document.filling import Scope
from tinquire.slots.slots import Slot

__all__ = [
    "ALT", "Asked", "NoForm", "OtherForm", "Pieces", "Recording", "Repeat", "SlotGroup", "Value", "as_it_is",
    "content_of", "cut", "joined", "numbers_repeated",
]  # fmt: skip

_DIGITS = 6
#: Texts that are no plain letters: ends of lines and tabs become elements, and control characters are refused.
_UNUSUAL = re.compile("[\x00-\x1f\ud800-\udfff\ufffe\uffff]")
#: Texts without any of these are spelled as they are, but for links.
_SPELLED = re.compile(r"[^ \w.,-]|[^\x00-\x7f]")
#: What has numbers that no two copies may share.
_NUMBERED = re.compile(r"docPr|bookmark(?:Start|End)")


@dataclass(slots=True)
class SlotGroup:
    """Slots that are asked of scope after scope, and what the last one found out about them."""

    slots: tuple[Slot, ...]
    known: object = None


class OtherForm(Exception):  # noqa: N818  # it is no error: the next form is tried
    """A letter is of another form, or of none."""


class NoForm(Exception):  # noqa: N818
    """A letter is to be filled the plain way."""


@dataclass(frozen=True, slots=True)
class Pieces:
    """What stands between the tokens, with a `%s` for each; and what takes their places, in order. `usual` is the
    pattern for texts that are spelled as they are and none of which is empty; '' where they never are."""

    pattern: str
    inserts: tuple[Value | Repeat, ...]
    usual: str
    in_bytes: bytes
    #: The slots of the values among the inserts.
    numbers: tuple[int, ...]
    group: SlotGroup

    @classmethod
    def of(cls, literals: Sequence[str], inserts: Sequence[Value | Repeat], slots: Sequence[Slot]) -> Pieces:
        """Pieces of what stands before each insert and after the last."""
        marks = [f">%s{one.closing}" if isinstance(one, Value) and one.closing else "%s" for one in inserts]
        values = [one for one in inserts if isinstance(one, Value)]
        plain = not any(one.code is _in_link for one in values)
        usual = "".join(chain.from_iterable(zip_longest(literals, marks, fillvalue=""))) if plain else ""
        numbers = tuple(one.number for one in values)
        group = SlotGroup(tuple(slots[number] for number in numbers))
        return cls("%s".join(literals), tuple(inserts), usual, usual.encode(), numbers, group)

    def spelled(self, texts: Sequence[str]) -> str:
        """Pieces whose inserts are values alone, with their texts."""
        spelled = [one.spelled(text) for one, text in zip(self.inserts, texts, strict=True) if isinstance(one, Value)]
        return self.pattern % tuple(spelled)


@dataclass(frozen=True, slots=True)
class Value:
    """The place of a slot's text, or of a picture's alternative text."""

    number: int
    #: How the place spells texts, for those that it does not spell as they are.
    code: Callable[[str], str]

    #: The end tag of an element that holds nothing else: without a text the element closes itself.
    closing: str = ""
    #: Whether another text stands right beside it: a form does not tell then whether an element is empty.
    beside: bool = False

    def spelled(self, text: str) -> str:
        if not text and self.beside:
            raise NoForm
        if text and (self.code is _in_link or _SPELLED.search(text)):
            text = self.code(text)
        if not self.closing:
            return text
        return f">{text}{self.closing}" if text else "/>"


@dataclass(frozen=True, slots=True)
class Repeat:
    """The place of what is repeated for each row of a table."""

    table: str
    asked: Asked
    inside: Pieces


@dataclass(slots=True)
class Asked:
    """What a template asks of a scope on its way: conditions and whether tables have rows, with the answers."""

    conditions: dict[str, bool] = field(default_factory=dict)
    filled: dict[str, bool] = field(default_factory=dict)

    def alike(self, scope: Scope) -> bool:
        for table, any_ in self.filled.items():
            if bool(scope.rows(table)) != any_:
                return False
        return all(scope.holds(condition) is outcome for condition, outcome in self.conditions.items())


def _in_text(text: str) -> str:
    if _UNUSUAL.search(text):
        raise NoForm
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


def _in_attribute(text: str) -> str:
    return _in_text(text).replace('"', "&quot;")


def _in_link(text: str) -> str:
    return _in_attribute(quote(text, safe="@"))


def as_it_is(texts: Sequence[str]) -> bool:
    """Whether texts are spelled as they are, and none is empty."""
    return all(texts) and not _SPELLED.search("".join(texts))


def joined(pieces: Pieces, texts: Sequence[str], repeated: Mapping[int, str]) -> str:
    """Pieces with their inserts; what is repeated is known by its identity."""
    inserts = [
        insert.spelled(texts[insert.number]) if isinstance(insert, Value) else repeated[id(insert)]
        for insert in pieces.inserts
    ]
    return pieces.pattern % tuple(inserts)


def content_of(pieces: Pieces, texts: Sequence[str], repeated: Mapping[int, str]) -> bytes:
    """A whole part; that with usual texts is put together as bytes."""
    if not pieces.usual or not as_it_is([texts[number] for number in pieces.numbers]):
        return joined(pieces, texts, repeated).encode()
    inserts = [
        (texts[insert.number] if isinstance(insert, Value) else repeated[id(insert)]).encode()
        for insert in pieces.inserts
    ]
    return pieces.in_bytes % tuple(inserts)


def numbers_repeated(pieces: Pieces) -> list[int]:
    """The slots inside of repeats."""
    found: list[int] = []
    for insert in pieces.inserts:
        if isinstance(insert, Repeat):
            found += [one.number for one in insert.inside.inserts if isinstance(one, Value)]
            found += numbers_repeated(insert.inside)
    return found


@dataclass(slots=True)
class Recording:
    """Tokens given out, with whose slots they are; and repeats, with what their rows were asked."""

    token: str
    slots: list[Slot] = field(default_factory=list)
    owners: list[int] = field(default_factory=list)
    repeats: list[tuple[str, Asked]] = field(default_factory=list)

    def given(self, slot: Slot, owner: int) -> str:
        self.slots.append(slot)
        self.owners.append(owner)
        return f"{self.token}{len(self.slots) - 1:0{_DIGITS}}"


ALT = -2


def cut(text: str, recording: Recording, links: bool) -> Pieces:
    """A part cut at its tokens. Raises OtherForm for what a form cannot repeat."""
    marks = re.compile(
        rf"<\?t{recording.token} (?P<edge>begin|end) (?P<repeat>\d+)\?>|{recording.token}(?P<value>\d{{{_DIGITS}}})"
    )
    found = list(marks.finditer(text))
    if len(found) != text.count(recording.token):
        raise OtherForm
    pieces, rest = _between(text, found, 0, 0, len(text), -1, recording, links)
    if rest != len(found):
        raise OtherForm
    return pieces


def _between(
    text: str, found: Sequence[re.Match[str]], at: int, start: int, stop: int, owner: int, recording: Recording,
    links: bool,
) -> tuple[Pieces, int]:  # fmt: skip
    """The pieces of a stretch from a mark on, up to the end of the repeat that owns it; and which mark comes then."""
    literals: list[str] = []
    inserts: list[Value | Repeat] = []
    while at < len(found):
        mark = found[at]
        if mark["edge"] == "end":
            stop = mark.start()
            if int(mark["repeat"]) != owner:
                raise OtherForm
            break
        closing = _closing(text, mark) if mark["value"] else ""
        # What closes the start tag belongs to the insert then.
        literals.append(_literal(text[start : mark.start() - bool(closing)], repeated=owner >= 0))
        if mark["edge"] == "begin":
            number = int(mark["repeat"])
            inside, end = _between(text, found, at + 1, mark.end(), stop, number, recording, links)
            if end >= len(found):
                raise OtherForm
            inserts.append(Repeat(*recording.repeats[number], inside))
            at, start = end + 1, found[end].end()
            continue
        number = int(mark["value"])
        whose = recording.owners[number]
        if whose != owner and not (whose == ALT and owner == -1):
            raise OtherForm  # it would have to be asked for elsewhere
        code = _in_link if links else _in_attribute if whose == ALT else _in_text
        inserts.append(Value(number, code, closing, _beside(found, at)))
        at, start = at + 1, mark.end() + len(closing)
    literals.append(_literal(text[start:stop], repeated=owner >= 0))
    return Pieces.of(literals, inserts, recording.slots), at


def _closing(text: str, mark: re.Match[str]) -> str:
    """The end tag of an element in which a mark is all there is; nothing for others."""
    start, stop = mark.span()
    if text[start - 1] != ">" or not text.startswith("</", stop):
        return ""
    closing = text[stop : text.index(">", stop) + 1]
    opening = text[text.rfind("<", 0, start) : start]
    return closing if re.fullmatch(rf"<{re.escape(closing[2:-1])}(?:\s[^<]*)?(?<!/)>", opening) else ""


def _beside(found: Sequence[re.Match[str]], at: int) -> bool:
    """Whether another value stands right before or after one."""
    around = [found[place] for place in (at - 1, at, at + 1) if 0 <= place < len(found)]
    return any(one["value"] and other["value"] and one.end() == other.start() for one, other in pairwise(around))


def _literal(text: str, *, repeated: bool) -> str:
    if repeated and _NUMBERED.search(text):
        raise OtherForm
    return text.replace("%", "%%")
