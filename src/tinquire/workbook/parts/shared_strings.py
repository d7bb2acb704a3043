"""Texts of cells: the shared strings part (ECMA-376 Part 1, 18.4) and rich text."""

from __future__ import annotations

import re
from collections.abc import Collection, Sequence

from lxml import etree

from tinquire.base.twins import twin
from tinquire.cells.column import numbered
from tinquire.packages.raw_xml import Unusual, unescape_entities
from tinquire.packages.xml import (
    MAIN,
    escape_text,
    local,
    parse_xml,
    remove_attribute,
    serialise_xml,
    tag,
    unescape_controls,
)

__all__ = ["SharedStrings", "items_of", "rich_text", "text_item", "text_of", "with_items"]

_HEAD = re.compile(rb"(?:\xef\xbb\xbf)?(?:<\?xml[^>?]*\?>)?\s*<sst([^<>]*)>")
_UTF8 = re.compile(rb"encoding=[\"'](?i:utf-8|us-ascii)[\"']")
_COUNTS = re.compile(rb"\s(?:count|uniqueCount)=(?:\"[^\"]*\"|'[^']*')")
_PLAIN_END = "</t></si>"
#: Control characters, which XML forbids.
_CONTROLS = bytes(code for code in range(32) if code not in (9, 10, 13))
#: Texts that are looked at together, and what makes one of them odd: it may have to be escaped, or blanks be kept.
_BLOCK = 4096
_ODD = re.compile(r"[^\x00\x20-\x25\x27-\x3b\x3d\x3f-\x7e\xa1-\u167f\u1681-\u1fff\u3001-\ud7ff]|_x| [ \x00]|\x00 ")
_BLANK = "<si><t></t></si>"
_PLAIN, _KEPT = "<si><t>", '<si><t xml:space="preserve">'


def rich_text(element: etree._Element) -> str:
    """The plain text of a string item: its own `t`, or its runs' texts joined; phonetic runs are left out."""
    pieces = []
    for part in element:
        name = local(part)
        if name == "t":
            pieces.append(part.text or "")
        elif name == "r":
            pieces.extend(run.text or "" for run in part if local(run) == "t")
    return unescape_controls("".join(pieces))


class SharedStrings:
    """The workbook's shared texts. Read ones keep their places; new ones are added after them."""

    def __init__(self, data: bytes | None = None) -> None:
        """Raises ValueError for markup that is damaged."""
        self._data = data
        self.texts: list[str] = [] if data is None else read_texts(data)
        self._known = len(self.texts)
        self._places: dict[str, int] = {}
        self._rewritten = False

    def copy(self) -> SharedStrings:
        """The same texts, to be added to by themselves."""
        fresh = twin(self)
        fresh.texts, fresh._places = list(self.texts), dict(self._places)
        return fresh

    @property
    def changed(self) -> bool:
        return self._rewritten or len(self.texts) > self._known

    def index_of(self, text: str) -> int:
        """The position of a text, added when it is new."""
        if not self._places:
            for index in reversed(range(len(self.texts))):
                self._places[self.texts[index]] = index
        found = self._places.get(text)
        if found is None:
            found = self._places[text] = len(self.texts)
            self.texts.append(text)
        return found

    def places_of(self, texts: Sequence[str]) -> list[int]:
        """The positions of texts, added when they are new."""
        if texts and not self._places:
            self.index_of(texts[0])
        return numbered(texts, self._places, self.texts)

    def forget(self, used: Collection[int]) -> None:
        """Blank all texts but some, by place; places stay, as far as they are used."""
        if len(used) == len(self.texts):
            return
        data = self.to_bytes()
        end = max(used, default=-1) + 1
        try:
            items = items_of(data)
            kept = [_BLANK] * end
            for index in used:
                kept[index] = f"{items[index]}</si>"
            head = _HEAD.match(data)
            assert head is not None  # or the part were unusual
            self._data = head[0] + "".join(kept).encode() + b"</sst>"
        except Unusual:
            self._data = _without(data, used, end)
        texts, self.texts = self.texts, [""] * end
        for index in used:
            self.texts[index] = texts[index]
        self._known = end
        self._places.clear()
        self._rewritten = True

    def to_bytes(self) -> bytes:
        """The part, new texts after the known ones, which keep their bytes.

        Counts are left out, as the standard allows, since cells elsewhere may come and go.
        """
        fresh = _items_for(self.texts[self._known :])
        if self._data is None:
            head = f'<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n<sst xmlns="{MAIN}">'
            self._data = head.encode() + fresh + b"</sst>"
        else:
            self._data = with_items(self._data, fresh)
        self._known = len(self.texts)
        return self._data


def _without(data: bytes, used: Collection[int], end: int) -> bytes:
    """The part with the texts of some places alone, none after the last of them."""
    root = parse_xml(data)
    for index, item in enumerate([item for item in root if local(item) == "si"]):
        if index >= end:
            root.remove(item)
        elif index not in used:
            for part in list(item):
                item.remove(part)
            etree.SubElement(item, tag(item, "t"))
    return serialise_xml(root)


def read_texts(data: bytes) -> list[str]:
    """All texts of the part, plain ones without a parser. Raises ValueError for damaged markup."""
    try:
        return _scan(data)
    except Unusual:
        return [rich_text(item) for item in parse_xml(data) if local(item) == "si"]


def _scan(data: bytes) -> list[str]:
    """Texts of the usual form: items one after the other, each `<si><t>text</t></si>` or parsed on its own.

    Raises Unusual for parts in other forms.
    """
    body = _body(data)
    # One tag for both kinds of plain item; four tags to an item prove that there is nothing else in any.
    plain = body.replace(_KEPT, _PLAIN) if "preserve" in body else body
    if plain.startswith(_PLAIN) and plain.endswith(_PLAIN_END):
        texts = plain[len(_PLAIN) : -len(_PLAIN_END)].split(_PLAIN_END + _PLAIN)
        if plain.count("<") == plain.count(">") == 4 * len(texts):
            if "&" in plain or "_x" in plain:
                return [_read_back(text) if "&" in text or "_x" in text else text for text in texts]
            return texts
    return [text_of(item) for item in _items(body)]


def _read_back(text: str) -> str:
    return unescape_controls(unescape_entities(text))


def items_of(data: bytes) -> list[str]:
    """The markup of each item without its closing tag, of a part of the usual form. Raises Unusual for others."""
    items = _items(_body(data))
    if any(item.count("<si") != 1 for item in items):
        raise Unusual
    return items


def _items(body: str) -> list[str]:
    if "<!" in body or "<?" in body:
        raise Unusual
    items = body.split("</si>")
    if items.pop() != "":
        raise Unusual
    return items


def _body(data: bytes) -> str:
    """What stands between the outermost tags of a part of the usual form. Raises Unusual for others."""
    head = _HEAD.match(data)
    if head is None or head[1].endswith(b"/") or (b"encoding" in head[0] and not _UTF8.search(head[0])):
        raise Unusual
    end = data.rfind(b"</sst>")
    body = data[head.end() : end]
    if end < 0 or data[end:].strip() != b"</sst>" or b"\r" in body:
        raise Unusual
    if len(body.translate(None, _CONTROLS)) != len(body):
        raise Unusual
    try:
        return body.decode()
    except UnicodeDecodeError:
        raise Unusual from None


def text_of(item: str) -> str:
    """The text of one item without its closing tag."""
    if item.count("<") == 3 and item.endswith("</t>"):
        start = 7 if item.startswith(_PLAIN) else 28 if item.startswith(_KEPT) else 0
        if start and ">" not in item[start:-4]:
            text = item[start:-4]
            return _read_back(text) if "&" in text or "_x" in text else text
    try:
        element = parse_xml(f"{item}</si>".encode())
    except ValueError:
        raise Unusual from None
    if local(element) != "si":
        raise Unusual
    return rich_text(element)


def with_items(data: bytes, items: bytes) -> bytes:
    head = _HEAD.match(data)
    end = data.rfind(b"</sst>")
    plain = head is not None and (b"encoding" not in head[0] or _UTF8.search(head[0]))
    if head is not None and plain and end > 0 and not head[1].endswith(b"/"):
        return data[: head.start(1)] + _COUNTS.sub(b"", head[1]) + data[head.end(1) : end] + items + data[end:]
    root = parse_xml(data)
    for name in ("count", "uniqueCount"):
        remove_attribute(root, name)
    space = etree.QName(root).namespace
    for item in etree.fromstring(f'<sst xmlns="{space}">'.encode() + items + b"</sst>"):
        root.append(item)
    return serialise_xml(root)


def _items_for(texts: Sequence[str]) -> bytes:
    """The markup of new texts; those without anything to escape or to keep, some thousands at once."""
    pieces: list[str] = []
    for start in range(0, len(texts), _BLOCK):
        block = texts[start : start + _BLOCK]
        joined = "\x00".join(("", *block, ""))
        if _ODD.search(joined) or joined.count("\x00") != len(block) + 1:
            pieces += map(text_item, block)
        else:
            pieces += [_PLAIN, (_PLAIN_END + _PLAIN).join(block), _PLAIN_END]
    return "".join(pieces).encode()


def text_item(text: str) -> str:
    keep = ' xml:space="preserve"' if text != text.strip() or "\n" in text or "  " in text else ""
    return f"<si><t{keep}>{escape_text(text)}</t></si>"
