"""On which line of a TOML file each key stands, so that a message can point there.

The standard library's reader gives values without places. This scanner walks over a text that the reader has
already accepted, so it need not find faults, only places.
"""

from __future__ import annotations

import re
from typing import TypeAlias

__all__ = ["KeyPath", "key_lines"]

KeyPath: TypeAlias = tuple["str | int", ...]

_KEY = re.compile(r"""[A-Za-z0-9_-]+|"(?:[^"\\]|\\.)*"|'[^']*'""")
_STRING = re.compile(r'"""(?:[^\\]|\\.)*?"""|\'\'\'.*?\'\'\'|"(?:[^"\\\n]|\\.)*"|\'[^\'\n]*\'', re.DOTALL)
_BARE = re.compile(r"[^,\]\}\n#]+")
_SPACE = re.compile(r"[ \t]*")
_GAP = re.compile(r"(?:[ \t\r\n,]|#[^\n]*)*")


def key_lines(text: str) -> dict[KeyPath, int]:
    """The line (from one) of every key and array element, by its path from the top."""
    scanner = _Scanner(text)
    scanner.run()
    return scanner.lines


class _Scanner:
    def __init__(self, text: str) -> None:
        self.text = text
        self.place = 0
        self.lines: dict[KeyPath, int] = {}
        self._counts: dict[KeyPath, int] = {}

    def run(self) -> None:
        table: KeyPath = ()
        while self._skip(_GAP) < len(self.text):
            if self.text.startswith("[[", self.place):
                table = self._header(2)
            elif self.text[self.place] == "[":
                table = self._header(1)
            else:
                self._pair(table)

    def _skip(self, pattern: re.Pattern[str]) -> int:
        match = pattern.match(self.text, self.place)
        self.place = match.end() if match else self.place
        return self.place

    def _note(self, path: KeyPath) -> None:
        self.lines.setdefault(path, self.text.count("\n", 0, self.place) + 1)

    def _header(self, brackets: int) -> KeyPath:
        start = self.place
        self.place += brackets
        path: KeyPath = ()
        keys = self._keys()
        for place, part in enumerate(keys, start=1):
            path = (*path, part)
            # Inside an array of tables, a further header belongs to its newest element.
            if path in self._counts and (brackets == 1 or place < len(keys)):
                path = (*path, self._counts[path] - 1)
        if brackets == 2:
            number = self._counts.get(path, 0)
            self._counts[path] = number + 1
            path = (*path, number)
        here, self.place = self.place, start
        for length in range(1, len(path) + 1):
            self._note(path[:length])
        self.place = here
        end = self.text.find("\n", self.place)
        self.place = len(self.text) if end < 0 else end
        return path

    def _keys(self) -> list[str]:
        """A dotted key; leaves the position after it."""
        keys: list[str] = []
        while True:
            self._skip(_SPACE)
            match = _KEY.match(self.text, self.place)
            if not match:
                return keys
            raw = match[0]
            keys.append(raw[1:-1] if raw[0] in "\"'" else raw)
            self.place = match.end()
            self._skip(_SPACE)
            if not self.text.startswith(".", self.place):
                return keys
            self.place += 1

    def _pair(self, table: KeyPath) -> None:
        start = self.place
        path = (*table, *self._keys())
        if path == table:  # nothing readable here: step over it, so that the walk always ends
            self.place = start + 1
            return
        here, self.place = self.place, start
        for length in range(len(table) + 1, len(path) + 1):
            self._note(path[:length])
        self.place = here
        self._skip(_SPACE)
        self.place += self.text.startswith("=", self.place)
        self._value(path)

    def _value(self, path: KeyPath) -> None:
        self._skip(_SPACE)
        opening = self.text[self.place : self.place + 1]
        if opening == "{":
            self.place += 1
            while self._skip(_GAP) < len(self.text) and self.text[self.place] != "}":
                self._pair(path)
            self.place += 1
        elif opening == "[":
            self.place += 1
            number = 0
            while self._skip(_GAP) < len(self.text) and self.text[self.place] != "]":
                self._note((*path, number))
                self._value((*path, number))
                number += 1
            self.place += 1
        elif (match := _STRING.match(self.text, self.place)) or (match := _BARE.match(self.text, self.place)):
            self.place = match.end()
        else:
            self.place += 1
