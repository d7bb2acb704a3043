"""The entry point: finds the command, hands on its words, turns errors into messages and exit codes.

Commands are imported when they are called, so that `tinquire --help` starts at once.
"""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence

from tinquire import __version__

__all__ = ["COMMANDS", "main"]

#: Command -> its module and what it does, in the order of the help. A module has `add_arguments` and `run`.
COMMANDS: dict[str, tuple[str, str]] = {
    "demo": ("demo", "set up the demo job, make its pack, send its mails to a test server"),
    "new": ("new", "write a first docket for the files in a folder"),
    "check": ("check", "find all errors in a docket and a period's sources; write nothing"),
    "run": ("run", "make a period's pack and mails"),
    "proof": ("proof", "find or approve the page to look at before a pack is sent"),
    "send": ("send", "send a period's mails, each at most once"),
    "watch": ("watch", "begin runs, or commands on files, when what they need is there"),
    "history": ("history", "list the runs of a job"),
    "docket": ("docket", "print the docket's schema"),
    "show": ("show", "show what is in a workbook or another file"),
    "recalc": ("recalc", "recalculate a workbook, and show what differs"),
    "trace": ("trace", "explain a cell's value, down to its source rows"),
    "audit": ("audit", "find places in a workbook where formulas or data look wrong"),
    "amend": ("amend", "change many workbooks at once, safely, with a list of the changes"),
    "compare": ("compare", "show what differs between two workbooks"),
    "split": ("split", "make one workbook for each sheet, or for each value of a column"),
    "fill": ("fill", "fill a template with rows and values: one file, or one for each line of a list"),
    "stack": ("stack", "combine the rows of many files in one workbook"),
    "match": ("match", "add columns of one file to the rows of another, by key"),
    "pivot": ("pivot", "summarise the rows of files by the values of their columns"),
    "chart": ("chart", "draw the rows of files as a chart, or make one that lives in a workbook"),
    "learn": ("learn", "from a workbook before and after a change by hand, find the steps that do it elsewhere"),
    "values": ("values", "write a workbook with results in place of formulas"),
    "print": ("print", "write a workbook as a web page"),
    "postroom": ("postroom", "run the test mail server"),
}

#: Commands on files without a docket, whose remedies are options.
_AT_HAND = frozenset({
    "show", "recalc", "trace", "audit", "amend", "compare", "split", "fill", "stack", "match", "pivot", "chart",
    "values",
})  # fmt: skip

_EXIT_CODES = "exit codes: 0 done, 1 the data stopped it, 2 wrong use or a bad docket, 3 a file or server failed"
INTERRUPTED = 130
HELP_WIDTH = 100


def main(arguments: Sequence[str] | None = None) -> int:
    """Run a command and return its exit code."""
    words = list(sys.argv[1:] if arguments is None else arguments)
    name = next((word for word in words if not word.startswith("-")), None)
    if words and words[0] in COMMANDS:
        return _run(words[0], words[1:])
    parser = _parser()
    if name is not None and not words[0].startswith("-"):
        parser.error(_unknown(name))
    parser.parse_args(words)
    parser.print_help()
    return 0 if not words else 2


def _parser() -> argparse.ArgumentParser:
    width = max(map(len, COMMANDS))
    commands = "\n".join(f"  {name:{width}}  {says}" for name, (_, says) in COMMANDS.items())
    parser = argparse.ArgumentParser(
        prog="tinquire",
        usage="tinquire COMMAND ...",
        description="Makes a period's workbooks and mails from its sources, checks them, and sends them.",
        epilog=f"commands:\n{commands}\n\n'tinquire COMMAND --help' shows its options and an example.\n{_EXIT_CODES}",
        # A stated width spares argparse the import of shutil, a third of the whole time.
        formatter_class=lambda prog: argparse.RawDescriptionHelpFormatter(prog, width=HELP_WIDTH),
    )
    parser.add_argument("--version", action="version", version=f"tinquire {__version__}")
    return parser


def _unknown(name: str) -> str:
    from tinquire.base.wording import nearest

    near = nearest(name, COMMANDS)
    return f"there is no command '{name}'" + (f"; the nearest is '{near[0]}'" if near else "")


def _run(name: str, words: list[str]) -> int:
    import importlib

    from tinquire.base.faults import TinQuireError, in_options
    from tinquire.cli.support.parsing import CommandParser
    from tinquire.cli.support.terminal import Terminal

    module_name, says = COMMANDS[name]
    module = importlib.import_module(f"tinquire.cli.commands.{module_name}")
    parser = CommandParser(
        prog=f"tinquire {name}",
        description=says[:1].upper() + says[1:] + ".",
        epilog=f"example:\n  {module.EXAMPLE}",
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    module.add_arguments(parser)
    options = parser.read(words)
    terminal = Terminal(as_json=getattr(options, "json", False))
    try:
        return int(module.run(options, terminal))
    except TinQuireError as error:
        terminal.error(in_options(error) if name in _AT_HAND else error)
        return error.exit_code
    except KeyboardInterrupt:
        terminal.close()
        print("stopped   by the keyboard", file=sys.stderr)
        return INTERRUPTED
    except BrokenPipeError:
        # Whoever read our output has gone; that is theirs to decide.
        sys.stderr.close()
        return 0
