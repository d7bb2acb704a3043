"""Texts of cells: the shared strings part (ECMA-376 Part 1, 18.4) and rich text."""

from __future__ import annotations

from lxml import etree

from tinquire.workbook.markup import MAIN, escaped, local, serialised, unescaped_text, without

__all__ = ["SharedStrings", "rich_text"]


def rich_text(element: etree._Element) -> str:
    """The plain text of a string item: its own `t`, or its runs' texts joined; phonetic runs are left out."""
    pieces = []
    for part in element:
        name = local(part)
        if name == "t":
            pieces.append(part.text or "")
        elif name == "r":
            pieces.extend(run.text or "" for run in part if local(run) == "t")
    return unescaped_text("".join(pieces))


class SharedStrings:
    """The workbook's shared texts. Read ones keep their places; new ones are added behind them."""

    def __init__(self, root: etree._Element | None = None) -> None:
        self._root = root
        self.texts: list[str] = [] if root is None else [rich_text(item) for item in root if local(item) == "si"]
        self._known = len(self.texts)
        self._places: dict[str, int] = {}

    @property
    def changed(self) -> bool:
        return len(self.texts) > self._known

    def place(self, text: str) -> int:
        """The place of a text, added when it is new."""
        if not self._places:
            for place in reversed(range(len(self.texts))):
                self._places[self.texts[place]] = place
        found = self._places.get(text)
        if found is None:
            found = self._places[text] = len(self.texts)
            self.texts.append(text)
        return found

    def to_bytes(self) -> bytes:
        """The part; counts are left out, as the standard allows, since cells elsewhere may come and go."""
        fresh = "".join(map(_item, self.texts[self._known :]))
        if self._root is None:
            return (
                f'<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n<sst xmlns="{MAIN}">{fresh}</sst>'.encode()
            )
        for name in ("count", "uniqueCount"):
            without(self._root, name)
        space = etree.QName(self._root).namespace
        for item in etree.fromstring(f'<sst xmlns="{space}">{fresh}</sst>'.encode()):
            self._root.append(item)
        self._known = len(self.texts)
        return serialised(self._root)


def _item(text: str) -> str:
    keep = ' xml:space="preserve"' if text != text.strip() or "\n" in text or "  " in text else ""
    return f"<si><t{keep}>{escaped(text)}</t></si>"
