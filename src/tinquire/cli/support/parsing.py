"""The words of one command: what is wrong with them in a line, and several values after one option."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import NoReturn

__all__ = ["CommandParser", "spread"]


class CommandParser(argparse.ArgumentParser):
    """A parser that says what is wrong in its words, and not all that is right."""

    #: Whether what follows -- is a command of its own, which becomes `words`.
    takes_command = False

    def read(self, words: list[str]) -> argparse.Namespace:
        """The options that words say, as `parse_args`."""
        if not self.takes_command or "--" not in words:
            return self.parse_args(spread(words, self), argparse.Namespace(words=[]))
        at = words.index("--")
        return self.parse_args(spread(words[:at], self), argparse.Namespace(words=words[at + 1 :]))

    def error(self, message: str) -> NoReturn:
        why = message[:1].lower() + message[1:]
        self.exit(
            2, f"stopped   reading the command line\nwhy       {why}\ndo        {self.prog} --help tells the options\n"
        )


def spread(words: list[str], parser: argparse.ArgumentParser) -> list[str]:
    """Several values after an option that takes pairs, like `--type A=date B=money`, with the option before each."""
    pairs = {
        option
        for action in parser._actions
        if isinstance(action, argparse._AppendAction) and "=" in str(action.metavar)
        for option in action.option_strings
    }
    made: list[str] = []
    option = ""
    for index, word in enumerate(words):
        if option and made[-1] != option and not word.startswith("-") and "=" in word and not Path(word).exists():
            made.append(option)
        elif option and made[-1] != option:
            option = ""
        option = word if word in pairs else option
        made.append(word)
        if word == "--":
            return [*made, *words[index + 1 :]]
    return made
