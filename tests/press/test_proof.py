"""The proof: what was read, checked and made, beside the period before; and who has approved it."""

import re
from datetime import UTC, datetime
from html.parser import HTMLParser

import pytest

from tinquire.docket import load_docket, parse_period
from tinquire.press.make import make
from tinquire.press.proof.standing import FACT, Change, _same_columns, changed_lines
from tinquire.press.publish import publish
from tinquire.press.record.daybook import Daybook

AT = datetime(2026, 11, 2, 9, tzinfo=UTC)
ROWS = {
    "2026-09": "Depot,Band,Charge\nHarbour,Bed,100\nHarbour,Bath,50\nUplands,Bed,10\n",
    "2026-10": "Depot,Band,Charge\nHarbour,Bed,160\nHarbour,Bath,50\nMillrace & <b>Sons</b>,Bed,70\n",
}
DOCKET = """
title = "Bags"
period = "month"
{approve}
sources.bags.file = "bags-[:period:].csv"
sources.bags.types = {{ Charge = "money" }}
pivots.depots = {{ from = "bags", rows = ["Depot"], values = [{{ sum = "Charge" }}], totals = "All" }}
figures.total = {{ is = "SUM(bags[Charge])", type = "money" }}
figures.most = "MAX(bags[Charge])"
checks.some = {{ that = "ROWS(bags) > 0", otherwise = "stop" }}
checks.many = {{ that = "ROWS(bags) > 99", otherwise = "warn", says = "few came" }}
[workbooks.pack]
name = "Bags [:period:].xlsx"
sheets = [{{ name = "Bags", table = "bags" }}, {{ name = "Depots", pivot = "depots" }}]
[mails.desk]
from = "us@larkfold.example"
to = "desk@larkfold.example"
subject = "Bags of [:period.long:]"
body = "Here."
attach = ["pack"]
"""


def pack(folder, period, approve=""):
    for name, rows in ROWS.items():
        (folder / f"bags-{name}.csv").write_text(rows, "utf-8")
    (folder / "d.toml").write_text(DOCKET.format(approve=approve), "utf-8")
    return make(load_docket(folder / "d.toml"), parse_period(period))


@pytest.fixture
def both(tmp_path):
    """A period that was published, and the one after it."""
    first = pack(tmp_path, "2026-09")
    publish(first, AT)
    return tmp_path, pack(tmp_path, "2026-10", "# a new line")


class Balanced(HTMLParser):
    """Every element that is opened is closed, in its order; the texts that a reader sees."""

    def __init__(self, page):
        super().__init__()
        self.open, self.texts, self.links = [], [], []
        self.feed(page)
        assert not self.open, self.open

    def handle_starttag(self, tag, attributes):
        if tag not in ("meta", "img", "br"):
            self.open.append(tag)
        self.links += [value for name, value in attributes if name in ("href", "src")]

    def handle_endtag(self, tag):
        assert self.open.pop() == tag

    def handle_data(self, data):
        if data.strip() and "style" not in self.open:
            self.texts.append(data.strip())


def test_all_is_told_beside_the_period_before(both):
    _, made = both
    page = Balanced(made.proof.data.decode())
    said = " ".join(page.texts)
    for wanted in (
        "October 2026", "3 rows", "bags-2026-10.csv", "Charge 280.00", "few came", "1 of 2", "ROWS(bags) is 3",
        "total 160.00 280.00 +120.00 +75.0%", "Bags 2026-10.xlsx", "desk@larkfold.example", "Bags of October 2026",
        "new: Millrace & <b>Sons</b>", "gone: Uplands", "+# a new line", "2 rows (before 2) bags-2026-10.csv",
    ):  # fmt: skip
        assert wanted in said, (wanted, said)
    assert page.links[-1] == "Bags%202026-10.xlsx" and all(
        link.startswith("data:image/png;base64,") or "/" not in link for link in page.links
    )
    assert "<script" not in made.proof.data.decode().lower()
    assert made.proof.data == pack(both[0], "2026-10", "# a new line").proof.data, "the same bytes"


def test_the_first_period_says_that_nothing_is_compared(tmp_path):
    said = " ".join(Balanced(pack(tmp_path, "2026-09").proof.data.decode()).texts)
    assert "The daybook has no run of August 2026: nothing is compared." in said and "What moved most" not in said


def test_what_moved_most_comes_first(both):
    folder, made = both
    known = Daybook(folder).fact("Bags", "2026-09", FACT)
    assert known["figures"] == {"total": 160.0, "most": 100.0} and known["summaries"]["depots"]["rows"]["Harbour"] == 2
    page = made.proof.data.decode()
    moved = re.findall(r"<tr><td>(\w+)<small>depots: \w+</small>", page)
    assert moved == ["Harbour", "Harbour"], "by value and by per cent; new keys and totals are none that moved"


@pytest.mark.parametrize(("now", "before", "difference", "share"), [
    (12.0, 10.0, 2.0, 0.2), (8.0, 10.0, -2.0, -0.2), (-12.0, -10.0, -2.0, -0.2), (5.0, 0.0, 5.0, None), (5.0, None, None, None),
    (None, 5.0, None, None), ("a", "b", None, None), (10.0, 10.0, 0.0, 0.0),
])  # fmt: skip
def test_a_change(now, before, difference, share):
    change = Change("x", "money", now, before)
    assert (change.difference, change.share) == (difference, share)


@pytest.mark.parametrize(("now", "before", "places"), [
    (["a", "b"], ["a", "b"], {"a": 0, "b": 1}), (["b", "a"], ["a", "b"], {"a": 0, "b": 1}), (["November"], ["October"], {"November": 0}),
    (["a", "November"], ["a", "October"], {"a": 0, "November": 1}), (["a", "new"], ["a"], {"a": 0}), (["new", "a"], ["a", "old"], {"a": 0}),
])  # fmt: skip
def test_columns_are_those_of_before_by_name_or_by_order(now, before, places):
    assert _same_columns(now, [(heading, "money") for heading in before]) == places


def test_lines_of_the_docket_that_changed():
    assert changed_lines("a\nb\nc\n", "a\nc\nd\n") == ["-b", "+d"]
    assert changed_lines("", "\n".join(map(str, range(100))))[-1] == "and 40 more"


def test_nothing_is_sent_before_it_is_approved(tmp_path, tinquire):
    made = pack(tmp_path, "2026-10", 'approve = "needed"')
    publish(made, AT)
    words = (tmp_path / "d.toml", "--period", "2026-10")
    said = tinquire("send", *words, "--server", "localhost:1")
    assert said.code == 1 and "nobody has approved what the latest run made" in said.err
    said = tinquire("proof", *words)
    assert said.code == 0 and "by nobody yet" in said.out and "Proof 2026-10.html" in said.out
    assert tinquire("proof", *words, "--approve", " ").code == 1
    said = tinquire("proof", *words, "--approve", "Ada  Lind", "--json")
    assert said.code == 0 and '"who": "Ada Lind"' in said.out
    assert "no connection" in tinquire("send", *words, "--server", "localhost:1").err, "it gets as far as the server"
    (strange := made.outbox / "strange.eml").write_bytes(made.mails[0].data)
    said = tinquire("send", *words, "--server", "localhost:1")
    assert said.code == 1 and "strange.eml is none of the files that Ada Lind approved" in said.err
    strange.unlink()
    made.outputs[0].path.write_bytes(b"another")
    for command in (("send", *words, "--server", "localhost:1"), ("proof", *words, "--approve", "Ada")):
        said = tinquire(*command)
        assert said.code == 1 and "is not what lies there now: Bags 2026-10.xlsx" in said.err
    said = tinquire("history", tmp_path, "--verify")
    assert said.code == 1 and "changed   out/2026-10/Bags 2026-10.xlsx  (made as pack, 2026-10)" in said.out
    (tmp_path / "bags-2026-10.csv").rename(tmp_path / "elsewhere")
    assert "missing   bags-2026-10.csv  (read for bags, 2026-10)" in tinquire("history", tmp_path, "--verify").out
    publish(pack(tmp_path, "2026-10", 'approve = "needed"'), AT)
    said = tinquire("history", tmp_path, "--verify")
    assert said.code == 0 and "5 of 5 files in 1 run are what the daybook says" in said.out
    assert tinquire("history", tmp_path).out.count("Ada Lind") == 2, "of both runs, whose files are the same"
    assert tinquire("send", *words, "--server", "localhost:1").code == 3, "the same files are approved still"
