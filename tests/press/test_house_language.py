"""The language of a house: marks, names, order of days and words, in all that a run writes as text."""

from __future__ import annotations

import email
from datetime import date
from email.policy import default

import pytest

from jobs import reader
from tinquire.base.faults import TinQuireError
from tinquire.cells.display import show
from tinquire.cells.languages import _WORDS, language_of
from tinquire.cells.total_words import is_total_label
from tinquire.docket import load_docket, parse_period
from tinquire.press.make import make

DOCKET = """title = "Blatt"
period = "month"
style = "house.toml"
[sources.v]
file = "v.csv"
separator = ";"
decimal = ","
types = { Menge = "number", Preis = "money", Tag = "date dmy" }
[pivots.p]
from = "v"
rows = ["Ort", { field = "Menge", bands = [1.5, 5] }]
columns = ["Tag"]
values = [{ sum = "Preis" }]
subtotals = {}
[pivots.r]
from = "v"
rows = [{ field = "Ort", top = 1, rest = true }]
columns = ["Menge"]
values = [{ sum = "Preis" }]
[figures]
preis = { is = "SUM(v[Preis])", type = "money" }
[workbooks.b]
name = "Blatt [:period.long:].xlsx"
sheets = [
  { name = "V", table = "v", title = "[:preis:] vom [:period.first:]", totals = { Preis = "sum" }, rows_per_sheet = 3 },
  { name = "Alle", table = "v" }, { name = "P", pivot = "p", formulas = "living" }, { name = "R", pivot = "r" },
]
[mails.m]
to = "a@example.org"
from = "b@example.org"
subject = "Im [:period.long:]"
body = "[:preis:], je Zeile [:preis/4 as #,##0.000:], am [:period.last as dddd, d. mmmm:], [:preis/4:]"
"""
ROWS = 'Ort;Tag;Menge;Preis\nNord;03.10.2026;2,5;"1.024,50"\nNord;04.10.2026;0,5;12\nSüd;04.10.2026;7;3,20\n;05.10.2026;1;1\n'


def made(folder, house):
    (folder / "v.csv").write_text(ROWS, "utf-8")
    (folder / "house.toml").write_text(house, "utf-8")
    (folder / "docket.toml").write_text(DOCKET, "utf-8")
    return make(load_docket(folder / "docket.toml"), parse_period("2026-10"))


#: The house, its texts by sheet and cell, and parts of the mail.
HOUSES = [
    ('language = "de"\ncurrency = "€"\n[formats]\nmoney = "#,##0.00 ¤"', "Blatt Oktober 2026.xlsx",
     {"V": ["1.040,70 € vom 01.10.2026", "Gesamt, Zeilen 1 bis 3"],
      "P": ["03.10.2026", "unter 1,5", "1,5 bis unter 5", "5 und mehr", "Nord gesamt", "(leer) gesamt"],
      "R": ["0,5", "Alle übrigen"]},
     ["Subject: Im Oktober 2026", "1.040,70 €, je Zeile 260,175, am Samstag, 31. Oktober, 260,175"]),
    ('language = "fr-CH"', "Blatt octobre 2026.xlsx", {"P": ["moins de 1,5", "Total Nord", "03.10.2026"], "V": ["Total, lignes 1 à 3"]}, ["am samedi, 31. octobre"]),
    ('language = "sv"', "Blatt oktober 2026.xlsx", {"P": ["1,5 till under 5", "2026-10-03"]}, ["1\xa0040,70"]),
    ("", "Blatt October 2026.xlsx", {"P": ["under 1.5", "Nord total", "2026-10-03"], "R": ["0.5", "All others"]}, ["260.175, am Saturday"]),
    ('language = "en-GB"\n[words]\nblank = "none"', "Blatt October 2026.xlsx", {"P": ["03/10/2026", "none total"]}, ["1,040.70"]),
]  # fmt: skip


@pytest.mark.parametrize(("house", "file", "texts", "mail"), HOUSES)
def test_all_texts_are_in_the_language_of_the_house(tmp_path, house, file, texts, mail):
    pack = made(tmp_path, house)
    assert pack.outputs[0].path.name == file
    sheets = {name: (values, formulas) for name, values, formulas in reader.read(pack.outputs[0].data)}
    for name, wanted in texts.items():
        assert not set(wanted) - set(sheets[name][0].values()), (name, sheets[name][0])
    assert sheets["P"][1]  # the living pivot agrees with its table: the run has proved it
    written = email.message_from_bytes(pack.mails[0].data, policy=default)
    body = written.get_body(("plain",)).get_content()
    assert not [part for part in mail if part not in f"Subject: {written['subject']}\n{body}"], body


@pytest.mark.parametrize(
    ("house", "says"),
    [
        ('language = "qq"', "'qq' is not a language"),
        ('language = "hu"', "the words of 'hu' are not known here: under, between, over, blank, total"),
        ('language = "de"\n[words]\nunder = "klein"', "'klein' does not have as many {} as 'under {}'"),
        ('[words]\nbetween = "{} {x} {}"', "does not have as many {}"),
    ],
)
def test_a_language_that_cannot_be_written_stops(tmp_path, house, says):
    with pytest.raises(TinQuireError) as error:
        made(tmp_path, house)
    assert says in str(error.value)


def test_own_words_cover_a_language_and_all_totals_are_read_back_as_totals():
    for tag, words in _WORDS.items():
        assert is_total_label(words.total) and is_total_label(words.group_total.replace("{}", "Nord")), tag
        assert (words.under + words.between + words.over).count("{}") == 4 and words.rows.count("{}") == 2
        language, lacking = language_of(tag)
        assert not lacking and language.words == words
        for period in ("2026", "2026-Q4", "2026-10", "2026-W43", "2026-10-31"):
            assert "2026" in parse_period(period).spelled(language)


@pytest.mark.parametrize(
    ("tag", "value", "code", "expected"),
    [
        ("de", 1234567.891, "#,##0.00", "1.234.567,89"), ("de", 1234.5, "General", "1234,5"), ("de", 0.5, "0.0%", "50,0%"),
        ("de-CH", 1234567.891, "#,##0.00", "1’234’567.89"), ("fr", 1234.5, "#,##0.0", "1\u202f234,5"),
        ("de", 1.5e30, "0.0E+00", "1,5E+30"), ("de", 46326.5, "d. mmm yyyy hh:mm:ss.0", "31. Okt 2026 12:00:00,0"),
        ("de", 46326, "[$-40C]mmmm", "octobre"), ("fr", 1234.5, '#,##0" a,b.c"', "1\u202f235 a,b.c"), ("de", "1.5", "@", "1.5"),
        ("pl", float(date(2026, 10, 31).toordinal() - 693594), "d mmmm yyyy", "31 października 2026"),
    ],
)  # fmt: skip
def test_values_are_shown_with_the_marks_and_names_of_a_language(tag, value, code, expected):
    assert show(value, code, language=language_of(tag)[0]).text.replace("'", "’") == expected
