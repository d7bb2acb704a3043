"""Bodies of mails with tables and pictures, in both forms, as a mail program takes them apart."""

import email
import email.policy
import re

import pytest

from tinquire.base.faults import TinQuireError
from tinquire.docket import load_docket, parse_period
from tinquire.document.laid_tables import LaidCell, LaidTable
from tinquire.looks import Appearance
from tinquire.post.bodies import BodyStyle, Picture, body_html, body_text
from tinquire.press.make import make

HEAD, PLAIN = Appearance(bold=True, fill="27343A", colour="FFFFFF"), Appearance(font='A"; b', size=9)
TABLE = LaidTable(
    [50, 40, 40],
    [
        [LaidCell("Depot", HEAD), LaidCell("Charged", HEAD, "center", 2)],
        [LaidCell("<Harbour>", PLAIN), LaidCell("9.50", PLAIN, "right"), LaidCell("1,042", PLAIN, "right")],
    ],
    1,
)


def test_a_body_as_text():
    text = body_text(["Dear <Ada>,\n", TABLE, Picture(b"", "a chart", 10, 10), "- one"])
    assert (
        text
        == "Dear <Ada>,\n\nDepot      Charged\n----------------------\n<Harbour>  9.50  1,042\n\n[a chart]\n\n- one\n"
    )


def test_a_body_as_html():
    page = body_html(["Dear <Ada>,\n\n- one", TABLE, Picture(b"", 'a "chart"', 72, 36)], BodyStyle(), ["id@b.example"])
    assert "<p>Dear &lt;Ada&gt;,</p>" in page and "<ul>\n<li>one</li>\n</ul>" in page
    assert 'colspan="2" scope="col"' in page and "&lt;Harbour&gt;</td>" in page and page.count("<tr>") == 2
    assert 'src="cid:id@b.example" alt="a &quot;chart&quot;" width="96" height="48"' in page
    assert not re.search(r"<script|[^c]id=|class=|style='", page) and 'font-family: "' not in page


DOCKET = """
title = "T"
period = "month"
[sources.rows]
file = "rows.csv"
types = {{ N = "money" }}
[sources.people]
file = "people.csv"
[pivots.by]
from = "rows"
rows = ["A"]
values = [{{ sum = "N", as = "Sum" }}]
totals = "All"
[mails.m]
each = "people"
own = {{ mine = {{ from = "rows", A = "A" }} }}
from = "us@b.example"
to = "[:Name:]@b.example"
subject = "S"
importance = "high"
pictures = {{ chart = {{ of = "by", series = ["Sum"] }} }}
body = \"\"\"Dear [:Name:],

{body}

Bye\"\"\"
[proof]
pictures = false
"""


def mails(folder, body):
    (folder / "rows.csv").write_text("A,N\nx,1.5\ny,2\nx,4\n", "utf-8")
    (folder / "people.csv").write_text("Name,A\nann,x\nbo,y\ncy,z\n", "utf-8")
    (folder / "docket.toml").write_text(DOCKET.format(body=body), "utf-8")
    made = make(load_docket(folder / "docket.toml"), parse_period("2026-10")).mails
    return [email.message_from_bytes(mail.data, policy=email.policy.default) for mail in made]


def test_tables_and_charts_of_the_docket(tmp_path):
    ann, bo, cy = mails(tmp_path, "[:table by:]\n\n  [: picture chart :]\n\n[:table mine:]")
    plain = ann.get_body(("plain",)).get_content().replace("\r\n", "\n")
    assert re.search(r"All +7.50\n", plain) and re.search(r"A  +N\n-+\nx  1.50\nx  4.00\n\nBye\n", plain)
    assert "2.00" in bo.get_body(("plain",)).get_content().partition("[")[2], "the row's own"
    assert cy.get_body(("plain",)).get_content().replace("\r\n", "\n").rstrip().endswith("]\n\nBye"), (
        "a table without rows is left out"
    )
    (picture,) = (part for part in ann.walk() if part.get_content_type() == "image/png")
    assert f"cid:{picture['Content-ID'].strip('<>')}" in ann.get_body(("html",)).get_content()
    assert picture.get_content()[:4] == b"\x89PNG" and ann["Importance"] == "high"
    assert mails(tmp_path, "[:picture chart:]")[0].as_bytes() == mails(tmp_path, "[:picture chart:]")[0].as_bytes()


WRONG = [
    ("[:table buy:]", "there is no table, pivot or statement 'buy'"),
    ("[:picture cart:]", "there is no picture 'cart': the nearest is 'chart'"),
    ("and [:table by:] within a line", "no value for [:table by:]"),
]


@pytest.mark.parametrize(("body", "why"), WRONG)
def test_what_is_not_there(tmp_path, body, why):
    with pytest.raises(TinQuireError) as stopped:
        mails(tmp_path, body)
    assert why in stopped.value.faults[0].why
