"""Write the reference pages under docs/ from the code: commands, docket keys, house keys, formula functions.

`--check` writes nothing, and fails when a page is not what the code says.
"""

from __future__ import annotations

import argparse
import importlib
import re
import sys
from collections.abc import Callable, Iterator
from dataclasses import MISSING, fields
from pathlib import Path
from typing import Any, get_args

from pydantic import BaseModel

from tinquire.amend import Amendment, AmendmentList
from tinquire.amend.schema import LookChange
from tinquire.cli.main import COMMANDS
from tinquire.docket.house import HouseModel, LookModel, WordsModel
from tinquire.docket.schema import (
    blocks,
    charts,
    checks,
    deliveries,
    docket,
    entries,
    letters,
    mails,
    marks,
    own,
    pivots,
    prints,
    proof,
    sources,
    statements,
    tables,
    watch,
    workbooks,
)  # fmt: skip
from tinquire.docket.schema.pages import PageModel
from tinquire.formula.engine.registry import Function, functions
from tinquire.formula.functions import FAMILIES
from tinquire.tables.steps import step_kinds

DOCS = Path(__file__).parent.parent / "docs"
_MADE = "<!-- made from the code by scripts/make_reference.py; change the code, then run `make docs` -->\n\n"

#: Spellings of types, and how a person says them; the first that fits the whole is taken, then the next.
_WORDS: tuple[tuple[str, str], ...] = (
    (r"^list\[Annotated\[Any.*", "list of steps"),
    (r"^dict\[str, Literal\[(.*)\]\]$", r"by heading: one of \1"),
    (r"^dict\[str, dict\[.*", "by heading: pairs of text and value"),
    (r"^dict\[str, str \| Figure\]$", "formulas, or `{ is = ..., type = ... }`"),
    (r"^dict\[str, [A-Z]\w+\]$", "a part for each name"),
    (r"^list\[PivotValue\]$", "list of values"),
    (r"^list\[.*Amendment\]$", "amendments"),
    (r"^.*LookChange$", "a look, in braces"),
    (r"^typing\.Annotated\[str.*|^Annotated\[str.*", "a colour, `#RRGGBB`"),
    (r"^list\[Sheet\]$", "a part for each sheet"),
    (r"^list\[str\] \| dict\[str, str\]$", "list of texts, or pairs of texts"),
    (r"^dict\[str, str\]$", "pairs of texts"),
    (r"^dict\[str, .*\]$", "pairs of text and value"),
    (r"^list\[str\]$", "list of texts"),
    (r"^bool \| .*", "a value"),
    (r"^str \| list\[str\]$", "text, or list of texts"),
    (r"^list\[float \| str\]$", "list of numbers, or of texts"),
    (r"^list\[float \| str\] \| str$", "list of values, or text"),
    (r"^float \| str$|^str \| float$", "number, or text"),
    (r"^list\[(?:datetime\.)?date\] \| str$", "list of days, or text"),
    (r"^tuple\[str, str\]$", "two texts"),
    (r"^tuple\[float, float\]$", "two numbers"),
    (r"^list\[str \| ChartSeries\]$", "list of texts, or of parts"),
    (r"^str$", "text"),
    (r"^int$", "whole number"),
    (r"^float$", "number"),
    (r"^bool$", "`true` or `false`"),
    (r"^list\[str \| PivotField\]$", "list of texts, or of parts"),
    (r"^list\[(?:float|int)\]$", "list of numbers"),
    (r"^list\[bool \| [^]]*\]$", "list of values"),
    (r"^list\[bool \| [^]]*\] \| str$", "list of values, or text"),
    (r"^list\[Amounts\]$", "list of parts"),
    (r"^(?:Post|Subtotals|LineColumns|Mapping|RowCount|Keys|Values|Near|Missing|Fresh)$", "a part"),
    (r"^DerivedType$", "a column type"),
)
#: The docket's parts in the order of the page: how a docket writes the part's heading, and its model.
_PARTS: tuple[tuple[str, type[BaseModel]], ...] = (
    ("the docket itself", docket.DocketModel),
    ("[sources.NAME]", sources.SourceModel),
    ("[tables.NAME]", tables.TableModel),
    ("[pivots.NAME]", pivots.PivotModel),
    ("fields of a pivot", pivots.PivotFieldModel),
    ("subtotals of a pivot", pivots.SubtotalsModel),
    ("values of a pivot", pivots.PivotValueModel),
    ("[statements.NAME]", statements.StatementModel),
    ("columns of a statement's amounts", statements.AmountsModel),
    ("the mapping of a statement", statements.MappingModel),
    ("headings of a statement's lines", statements.LineColumnsModel),
    ("[figures]", statements.FigureModel),
    ("[checks]", checks.CheckModel),
    ("rows of a check", checks.RowCountModel),
    ("no_repeats and complete of a check", checks.KeysModel),
    ("values of a check", checks.ValuesModel),
    ("near_last of a check", checks.NearModel),
    ("none_missing of a check", checks.MissingModel),
    ("fresh of a check", checks.FreshModel),
    ("[workbooks.NAME]", workbooks.WorkbookModel),
    ("[[workbooks.NAME.sheets]]", workbooks.SheetModel),
    ("[workbooks.NAME.rows]", workbooks.TemplateRowsModel),
    ("[workbooks.NAME.repeat]", workbooks.RepeatedSheetModel),
    ("[[workbooks.NAME.sheets.blocks]]", blocks.BlockModel),
    ("dress: the look of a column", blocks.DressModel),
    ("outline of rows", blocks.OutlineModel),
    ("marks", marks.MarkModel),
    ("entries", entries.EntryModel),
    ("inputs", entries.InputModel),
    ("page of a sheet", PageModel),
    ("[letters.NAME]", letters.LetterModel),
    ("[prints.NAME]", prints.PrintModel),
    ("charts", charts.ChartModel),
    ("own rows of each", own.OwnModel),
    ("[mails.NAME]", mails.MailModel),
    ("[post]", mails.PostModel),
    ("[drafts]", mails.DraftsModel),
    ("[deliveries.NAME]", deliveries.DeliveryModel),
    ("[proof]", proof.ProofModel),
    ("[watch]", watch.WatchModel),
)


def commands_page() -> str:
    """Each command's own help."""
    pages = ["# Commands\n\nEvery command has `--help`. Answers for programs come with `--json` where it is listed.\n"]
    for name, (module_name, says) in COMMANDS.items():
        module = importlib.import_module(f"tinquire.cli.commands.{module_name}")
        parser = argparse.ArgumentParser(prog=f"tinquire {name}", add_help=False)
        module.add_arguments(parser)
        rows = [_argument(action) for action in parser._actions]
        table = "\n".join(["| word | meaning |", "| --- | --- |", *rows]) if rows else "It takes no words."
        example = f"```\n{module.EXAMPLE.replace(chr(10) + '  tinquire', chr(10) + 'tinquire')}\n```"
        pages.append(f"## tinquire {name}\n\n{says[:1].upper()}{says[1:]}.\n\n{example}\n\n{table}\n")
    codes = (
        "0 done; 1 the data stopped it; 2 wrong use or a bad docket; 3 a file or server could not be read or written."
    )
    return "\n".join([*pages, f"## Exit codes\n\n{codes}\n"])


def _argument(action: argparse.Action) -> str:
    value = action.metavar or (action.dest.upper() if action.nargs != 0 else "")
    value = " ".join(value) if isinstance(value, tuple) else value
    word = ", ".join(action.option_strings) if action.option_strings else action.dest.upper()
    if action.option_strings and value:
        word += f" {value}"
    return f"| `{word}` | {action.help or ''}{' (needed)' if action.required and action.option_strings else ''} |"


def docket_page() -> str:
    """Every key of the docket, and every step."""
    pages = [
        "# The docket's keys\n\nThe same as JSON Schema, for editors that complete and check: "
        "`tinquire docket --schema`. Texts marked with slots may hold `[:name:]`.\n"
    ]
    for heading, model in _PARTS:
        says = (model.__doc__ or "").strip()
        pages.append(f"## {heading}\n\n{says}\n\n{_keys(model)}\n")
    pages.append("## Steps\n\nA step is written in braces in `steps` of a table; its first key names it.\n")
    for name, kind in sorted(step_kinds().items()):
        says = " ".join((kind.__doc__ or "").split())
        rows = [_step_key(one) for one in fields(kind)]  # type: ignore[arg-type]
        pages.append(
            f"### {name}\n\n{says}\n\n| key | takes | if left out |\n| --- | --- | --- |\n" + "\n".join(rows) + "\n"
        )
    return "\n".join(pages)


def amendments_page() -> str:
    """Every key of an amendments file."""
    pages = [
        "# The keys of an amendments file\n\n`tinquire amend FILES --with amendments.toml` applies it. Each part "
        "says where, what the cells must have now, and what it becomes; they are applied in their order.\n"
    ]
    parts: tuple[tuple[str, type[BaseModel]], ...] = (
        ("the file itself", AmendmentList), ("[[amend]]", Amendment), ("look", LookChange),
    )  # fmt: skip
    for heading, model in parts:
        pages.append(f"## {heading}\n\n{(model.__doc__ or '').strip()}\n\n{_keys(model)}\n")
    return "\n".join(pages)


def house_page() -> str:
    pages = ['# The house file\'s keys\n\nA docket names it with `style = "house.toml"`.\n']
    for heading, model in (("the file itself", HouseModel), ("[words]", WordsModel), ("[looks.NAME]", LookModel)):
        pages.append(f"## {heading}\n\n{(model.__doc__ or '').strip()}\n\n{_keys(model)}\n")
    looks = "`title`, `heading`, `rows` and `total` dress the parts of a sheet; `body` is what they build on."
    return "\n".join([*pages, f"## Looks that are used\n\n{looks}\n"])


def _keys(model: type[BaseModel]) -> str:
    rows = ["| key | takes | meaning |", "| --- | --- | --- |"]
    own_first = sorted(model.model_fields.items(), key=lambda pair: pair[0] not in model.__annotations__)
    for name, one in own_first:
        needed = " (needed)" if one.is_required() else ""
        rows.append(f"| `{one.alias or name}` | {_taken(one.annotation)} | {one.description or ''}{needed} |")
    return "\n".join(rows)


def _step_key(one: Any) -> str:
    if one.default_factory is not MISSING or one.default is None:
        default = "nothing"
    else:
        default = "(needed)" if one.default is MISSING else f"`{one.default!r}`"
    written = re.sub(r"Annotated\[(\w+), .*\]", r"\1", str(one.type))
    options = re.findall(r"['\"](\w+)['\"]", written) if "Literal" in written else []
    taken = ", ".join(f"`'{option}'`" for option in options) or _said(written)
    return f"| `{one.name.rstrip('_')}` | {taken} | {default} |"


def _taken(annotation: Any) -> str:
    """A type as a page says it."""
    text = str(annotation)
    if text.startswith("dict[typing.Literal"):
        return "pairs, by " + ", ".join(f"`{option}`" for option in get_args(get_args(annotation)[0]))
    if "Literal" in text and not text.startswith("dict"):
        options = dict.fromkeys(option for one in (annotation, *get_args(annotation)) for option in get_args(one))
        words = ", ".join(f"`{option!r}`".replace("|", "\\|") for option in options if isinstance(option, str))
        return words + (", or a whole number" if int in get_args(annotation) else "")
    return _said(text if "[" in text else getattr(annotation, "__name__", text))


def _said(text: str) -> str:
    """A type's spelling in plain words."""
    text = re.sub(r"typing\.|tinquire\.docket\.(?:\w+\.)+|Model\b| \| None\b", "", text)
    for pattern, words in _WORDS:
        text = re.sub(pattern, words, text)
    return text


def functions_page() -> str:
    """Every function with its signature, meaning and example, by family."""
    known = functions()
    pages = [
        f"# Formula functions\n\n{len(known)} functions, the same in a docket's formulas and in a sheet's cells. "
        "Numbers in brackets are clauses of ECMA-376 Part 1, or of OpenFormula where it says so. "
        "Each example is run by the tests.\n"
    ]
    for family in FAMILIES:
        members = sorted((one for one in known.values() if one.family == family), key=lambda one: one.name)
        rows = "\n".join(_function(one) for one in members)
        heading = family.capitalize().replace("_", " ")
        pages.append(f"## {heading}\n\n| function | meaning | example |\n| --- | --- | --- |\n{rows}\n")
    return "\n".join(pages)


def _function(one: Function) -> str:
    formula, result = one.examples[0]
    return f"| `{one.signature}` | {one.says} | `={formula}` gives `{result}` |"


PAGES: dict[str, Callable[[], str]] = {
    "commands.md": commands_page, "docket.md": docket_page, "house.md": house_page,
    "amendments.md": amendments_page, "functions.md": functions_page,
}  # fmt: skip


def stale() -> Iterator[str]:
    """Names of pages that are not what the code says."""
    for name, make in PAGES.items():
        path = DOCS / name
        if not path.exists() or path.read_text("utf-8") != _MADE + make():
            yield name


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--check", action="store_true")
    if parser.parse_args().check:
        wrong = list(stale())
        print(
            f"docs/{', docs/'.join(wrong)} not up to date: run 'make docs'" if wrong else "the reference is up to date"
        )
        return 1 if wrong else 0
    for name, make in PAGES.items():
        (DOCS / name).write_text(_MADE + make(), "utf-8")
        print(f"docs/{name}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
