"""The language of a house: marks in numbers, names and order of days, and the words that summaries write.

Marks, names and patterns are those of the Unicode CLDR, as Babel has them; the words are our own.
"""

from __future__ import annotations

import datetime
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, fields, replace
from functools import lru_cache

from tinquire.cells.daynames import ENGLISH as ENGLISH_NAMES
from tinquire.cells.daynames import DayNames, names_of

__all__ = ["ENGLISH", "Language", "Words", "language_of"]


@dataclass(frozen=True, slots=True)
class Words:
    """What summaries write of themselves; `{}` stands for numbers, and in `group_total` for the group."""

    under: str = "under {}"
    between: str = "{} to under {}"
    over: str = "{} and more"
    blank: str = "(blank)"
    total: str = "Total"
    group_total: str = "{} total"
    others: str = "All others"
    rows: str = "rows {} to {}"


_WORDS = {
    "en": Words(),
    "da": Words(
        "under {}", "{} til under {}", "{} og derover", "(tom)", "I alt",
        "{} i alt", "Alle andre", "rækker {} til {}",
    ),
    "de": Words(
        "unter {}", "{} bis unter {}", "{} und mehr", "(leer)", "Gesamt",
        "{} gesamt", "Alle übrigen", "Zeilen {} bis {}",
    ),
    "es": Words(
        "menos de {}", "de {} a menos de {}", "{} o más", "(vacío)", "Total",
        "Total {}", "Todos los demás", "filas {} a {}",
    ),
    "fi": Words(
        "alle {}", "{} – alle {}", "{} tai enemmän", "(tyhjä)", "Yhteensä",
        "{} yhteensä", "Kaikki muut", "rivit {}–{}",
    ),
    "fr": Words(
        "moins de {}", "de {} à moins de {}", "{} et plus", "(vide)", "Total",
        "Total {}", "Tous les autres", "lignes {} à {}",
    ),
    "it": Words(
        "meno di {}", "da {} a meno di {}", "{} e oltre", "(vuoto)", "Totale",
        "Totale {}", "Tutti gli altri", "righe da {} a {}",
    ),
    "nb": Words(
        "under {}", "{} til under {}", "{} og mer", "(tom)", "Totalt",
        "{} totalt", "Alle andre", "rader {} til {}",
    ),
    "nl": Words(
        "onder {}", "{} tot {}", "{} en meer", "(leeg)", "Totaal",
        "{} totaal", "Alle overige", "rijen {} tot en met {}",
    ),
    "pl": Words(
        "poniżej {}", "od {} do poniżej {}", "{} i więcej", "(puste)", "Razem",
        "{} razem", "Wszystkie pozostałe", "wiersze od {} do {}",
    ),
    "pt": Words(
        "menos de {}", "de {} a menos de {}", "{} ou mais", "(vazio)", "Total",
        "Total {}", "Todos os outros", "linhas {} a {}",
    ),
    "sv": Words(
        "under {}", "{} till under {}", "{} och mer", "(tomt)", "Totalt",
        "{} totalt", "Alla övriga", "rader {} till {}",
    ),
}  # fmt: skip


@dataclass(frozen=True)
class Language:
    """How a house writes numbers, days and summaries. `date_format` is the number format of days where the house states
    none; `spelled` writes a period by its kind, None for the English way."""

    tag: str = "en"
    decimal: str = "."
    group: str = ","
    names: DayNames = ENGLISH_NAMES
    words: Words = field(default_factory=Words)
    date_format: str = "yyyy-mm-dd"
    spelled: Callable[[str, datetime.date], str] | None = field(default=None, compare=False)

    def __hash__(self) -> int:
        return hash(self.tag)  # quick, since texts that are shown often are kept by it

    def number(self, text: str) -> str:
        """A number that was written with a full stop, with the mark of the language."""
        return text if self.decimal == "." else text.replace(".", self.decimal)

    def with_words(self, given: Mapping[str, str]) -> Language:
        return replace(self, words=replace(self.words, **given))


ENGLISH = Language()


@lru_cache(maxsize=32)
def language_of(tag: str) -> tuple[Language, tuple[str, ...]]:
    """A language by its tag (BCP 47: `de`, `de-AT`), and the words of it that are not known and are English for now.

    Raises KeyError for a tag that names no language.
    """
    if tag == "en":
        return ENGLISH, ()
    from babel import Locale, UnknownLocaleError
    from babel.dates import format_date, format_skeleton

    try:
        locale = Locale.parse(tag.replace("_", "-"), sep="-")
    except (UnknownLocaleError, ValueError, TypeError):
        raise KeyError(tag) from None
    symbols = locale.number_symbols
    marks = symbols.get("latn", symbols)

    def spelled(kind: str, day: datetime.date) -> str:
        if kind == "day":
            return format_date(day, "long", locale=locale)
        skeleton = {"year": "y", "quarter": "yQQQQ", "month": "yMMMM", "week": "yw"}[kind]
        return format_skeleton(skeleton, day, locale=locale)

    words = _WORDS.get({"no": "nb", "nn": "nb"}.get(locale.language, locale.language))
    language = Language(
        tag, str(marks["decimal"]), str(marks["group"]), names_of(locale), words or Words(), _date_format(locale),
        None if locale.language == "en" else spelled,
    )  # fmt: skip
    return language, () if words else tuple(item.name for item in fields(Words))


def _date_format(locale: object) -> str:
    """The number format of days in figures, with the year in full: `dd.mm.yyyy`."""
    pattern = str(locale.date_formats["short"].pattern)  # type: ignore[attr-defined]
    code = re.sub("y+", "yyyy", re.sub(r"'[^']*'|[^yMd./, -]", "", pattern)).lower().strip()
    return code if {"y", "m", "d"} <= set(code) else "yyyy-mm-dd"
