"""Entry rules (ECMA-376 Part 1, 18.3.1.32 and .33) read from a sheet's part, and written into one."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from lxml import etree

from tinquire.packages.xml import child, children, escape_attribute, escape_formula, local
from tinquire.workbook.grid.entry_rules import EntryRule
from tinquire.workbook.parts.frame_change import area_list, area_list_text

__all__ = ["entry_rules_markup", "read_entry_rules"]


def read_entry_rules(frame: etree._Element) -> Iterator[EntryRule]:
    for element in children(child(frame, "dataValidations"), "dataValidation"):
        yield EntryRule(
            tuple(area_list(element.get("sqref", ""))), element.get("type", "none"),
            element.get("operator", "between"),
            tuple(item.text or "" for item in element if local(item) in ("formula1", "formula2")),
            element.get("allowBlank") in ("1", "true"), element.get("errorStyle", "stop"),
            (element.get("promptTitle", ""), element.get("prompt", "")),
            (element.get("errorTitle", ""), element.get("error", "")),
        )  # fmt: skip


def entry_rules_markup(rules: Sequence[EntryRule]) -> str:
    """The element of all entry rules; nothing without any."""
    if not rules:
        return ""
    return f'<dataValidations count="{len(rules)}">{"".join(map(_markup, rules))}</dataValidations>'


def _markup(rule: EntryRule) -> str:
    plain = rule.kind in ("list", "custom", "none")
    given = {
        "type": rule.kind,
        "errorStyle": "" if rule.severity == "stop" else rule.severity,
        "operator": "" if plain or rule.operator == "between" else rule.operator,
        "allowBlank": "1" if rule.blank else "",
        "showInputMessage": "1" if any(rule.prompt) else "",
        "showErrorMessage": "1",
        "errorTitle": rule.message[0],
        "error": rule.message[1],
        "promptTitle": rule.prompt[0],
        "prompt": rule.prompt[1],
        "sqref": area_list_text(list(rule.areas)),
    }
    stated = "".join(f' {name}="{escape_attribute(value)}"' for name, value in given.items() if value)
    bounds = "".join(
        f"<formula{number}>{escape_formula(text)}</formula{number}>"
        for number, text in enumerate(rule.formulas, start=1)
    )
    return f"<dataValidation{stated}>{bounds}</dataValidation>"
