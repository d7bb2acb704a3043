"""Words that head a row of totals, in the languages in which offices keep their books."""

from __future__ import annotations

import re

from tinquire.cells.values import Value

__all__ = ["begins_total", "is_total_label"]

#: Of words that also begin names, nothing but a colon, a bracket or a number may follow.
_BEGINS = re.compile(
    r"(?:(?:grand|sub|sous)[ -]?)?total(?:s|e|en|t|i|es|er)?\b|sum\b"
    r"|(?:(?:zwischen|gesamt|end)?summen?|gesamt|insgesamt|somma|somme|suma|soma|totaal|subtotaal|razem|ogółem|celkem|spolu"
    r"|összesen|yhteensä|i alt|toplam|итого|всего|разом|σύνολο|合計|合计|总计|總計|합계)\s*(?:[:(\d€$£]|$)",
    re.IGNORECASE,
)
_ENDS = re.compile(r"\b(?:(?:sub)?totals?|gesamt|totaal|totalt|i alt|razem|yhteensä)$", re.IGNORECASE)


def begins_total(text: str) -> bool:
    """Whether a text begins like the label of a total: `Total`, `Summe:`."""
    return bool(_BEGINS.match(text.strip()))


def is_total_label(value: Value) -> bool:
    """Whether a value heads a row that sums others up: `Total`, `Sum:`, `North total`."""
    return isinstance(value, str) and (begins_total(value) or bool(_ENDS.search(value.strip())))
