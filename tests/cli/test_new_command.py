"""A first docket from files at hand: it is checked, and made, at first try."""

from __future__ import annotations

import json
import shutil
import tomllib

import pytest

from tinquire.docket.draft import combined_type, pattern_of, period_in


@pytest.mark.parametrize(
    ("paths", "pattern"),
    [
        (["lists/rates.csv"], ("lists/rates.csv", False)),
        (["s/2026-09/l-2026-09.csv", "s/2026-10/l-2026-10.csv"], ("s/[:period:]/l-[:period:].csv", False)),
        (["s/2026-10/p-a.xlsx", "s/2026-10/p-bc.xlsx", "s/2026-09/p-a.xlsx"], ("s/[:period:]/p-*.xlsx", True)),
        (["a/x.csv", "b/y.csv"], ("**/*.csv", True)), (["2026-Q3.csv", "2026-Q4.csv"], ("[:period:].csv", False)), (["one.csv", "one two.csv"], ("one*.csv", True)),
    ],
)  # fmt: skip
def test_one_spelling_for_several_files(paths, pattern):
    assert pattern_of(paths) == pattern


@pytest.mark.parametrize(
    ("path", "period"),
    [("a/2026-10-31.csv", "2026-10-31"), ("a 2026-10 b", "2026-10"), ("sales-2026-W43", "2026-W43"), ("2026/x", "2026"), ("2026-13", None), ("x-12345-67", None), ("v1.2", None)],
)  # fmt: skip
def test_periods_in_paths(path, period):
    found = period_in(path)
    assert (found.text if found else None) == period


@pytest.mark.parametrize(
    ("kinds", "kind"),
    [
        (["date", "date dmy"], "date dmy"), (["date dmy", "date mdy"], "date"), (["whole", "number"], "number"), (["whole", "money"], "money"),
        (["whole", "whole", "text"], "whole"), (["text"], "text"), (["date", "text", "text"], "text"),
    ],
)  # fmt: skip
def test_one_type_for_columns_of_several_files(kinds, kind):
    assert combined_type(kinds) == kind


@pytest.fixture
def files(shipped_job, tmp_path):
    """The demo's sources and lists, and nothing of its docket."""
    for folder in ("sources", "lists"):
        shutil.copytree(shipped_job / folder, tmp_path / "job" / folder)
    return tmp_path / "job"


def test_a_docket_is_drafted_from_files(files, tinquire):
    (files / "notes.txt").write_text("call the depot\n")
    (files / "out").mkdir()
    (files / "out/old.csv").write_text("a,b\n1,2\n")
    said = tinquire("new", files, "--title", "Linen")
    assert said.code == 0 and "pickups: sources/[:period:]/pickups-*.xlsx" in said.out
    assert (
        "left out  notes.txt: " in said.out
        and f"try       tinquire check {files / 'docket.toml'} --period 2026-11" in said.out
    )
    made = tomllib.loads((files / "docket.toml").read_text("utf-8"))
    assert (made["title"], made["period"], len(made["sources"])) == ("Linen", "month", 8)
    pickups = made["sources"]["pickups"]
    assert (pickups["types"]["Collected"], pickups["types"]["Pieces"], pickups["types"]["Ticket"]) == (
        "date dmy",
        "whole",
        "text",
    )
    said = tinquire("check", files / "docket.toml", "-p", "2026-10")
    assert said.code == 1 and said.err.count("stopped") == 1 and "'none' is not a number (7 values in all)" in said.err
    text = (files / "docket.toml").read_text("utf-8").replace("# [pivots", "[pivots").replace("# ", "")
    text = text.replace('sheet = "Pickups"\n', "").replace(
        'pickups-*.xlsx"\n', 'pickups-*.xlsx"\nread_as = { Pieces = { none = 0 } }\n'
    )
    (files / "docket.toml").write_text(text.replace("A first draft", "#"), "utf-8")
    assert tinquire("run", files / "docket.toml", "-p", "2026-10").code == 0
    made = sorted(path.name for path in (files / "out/2026-10").iterdir())
    assert made == ["Linen 2026-10.xlsx", "Proof 2026-10.html", "Proof 2026-10.pdf"]


def test_what_no_docket_is_drafted_from(files, tmp_path, tinquire):
    (tmp_path / "empty").mkdir()
    assert "there are no files to read" in tinquire("new", tmp_path / "empty").err
    (tmp_path / "empty/a.txt").write_text("nothing of the kind")
    said = tinquire("new", tmp_path / "empty")
    assert said.code == 1 and "is a table of rows" in said.err and "left out  a.txt" in said.out
    (files / "docket.toml").write_text("")
    assert tinquire("new", files).code == 2
    (files / "docket.toml").unlink()
    answer = json.loads(tinquire("new", files / "lists", "--json").out)
    assert answer["period"] == "2026-10" and [one["name"] for one in answer["sources"]][:2] == [
        "account_lines",
        "customers",
    ]
