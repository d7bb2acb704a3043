"""Runs in memory: sheets dressed, formulas living, mails safe, nothing half-written."""

from __future__ import annotations

import email
from datetime import UTC, datetime
from email.policy import default

import pytest

from tinquire.base.faults import AccessError, TinQuireError, UseError
from tinquire.base.file_names import safe_file_name
from tinquire.cells import Area, CellError
from tinquire.docket import load_docket, parse_period
from tinquire.layout.cell_formulas import living_formula
from tinquire.layout.dresser import safe_table_name
from tinquire.packages.package import Package
from tinquire.post.bodies import BodyStyle, body_html
from tinquire.post.message import parse_address
from tinquire.press.make import make
from tinquire.press.publish import publish
from tinquire.press.record.daybook import Daybook, digest
from tinquire.press.send import outgoing, send
from tinquire.workbook import Workbook
from tinquire.workbook.inspect.conformance import conformance_findings

NOW = datetime(2026, 11, 3, 17, 45, tzinfo=UTC)


@pytest.fixture(scope="module")
def pack(shipped_job):
    """The demo's pack for October, made in memory."""
    return make(load_docket(shipped_job / "docket.toml"), parse_period("2026-10"))


@pytest.fixture(scope="module")
def book(pack, tmp_path_factory):
    path = tmp_path_factory.mktemp("pack") / "pack.xlsx"
    path.write_bytes(pack.outputs[0].data)
    assert conformance_findings(Package.open(path)) == []
    return Workbook.open(path)


# -- sheets ----------------------------------------------------------------------------------------------


def test_sheets_and_their_tables(book):
    assert book.sheet_names() == [
        "Cover",
        "Charges",
        "Depots",
        "By depot and band",
        "Customers",
        "Managers",
        "Harbour",
        "Millrace",
        "Northgate",
        "Uplands",
        "Bands",
        "Depot views",
        "Ledger",
        "Account lines",
        "Position",
    ]
    depots = [f"{depot}_charges" for depot in ("harbour", "millrace", "northgate", "uplands")]
    names = ["account_lines", "charges", "depot_views", "ledger", "managers_standing", *depots]
    assert sorted(book.tables()) == sorted(names)


def test_no_cell_holds_an_error_or_a_slot(book):
    for sheet in book.sheets():
        for number in sheet.columns:
            for value in sheet.column(number, 1, sheet.extent()[0]):
                assert not isinstance(value, CellError)
                assert not (isinstance(value, str) and "[:" in value)


def test_charges_are_living_formulas_with_stored_results(book, pack):
    sheet = book.sheet("Charges")
    table = sheet.tables[0]
    charge = table.area.left + table.index_of("Charge")
    formula = "ROUND(Charges[[#This Row],[Pieces]]*Charges[[#This Row],[Rate]]*(1-Charges[[#This Row],[Discount]]),2)"
    assert {sheet.formula(row, charge).text for row in range(table.data.top, table.data.bottom + 1)} == {formula}
    assert table.columns[table.index_of("Charge")].formula == formula
    assert sheet.formula(table.area.bottom, charge).text == "SUBTOTAL(109,Charges[Charge])"
    stored = sheet.column(charge, table.data.top, table.data.bottom)
    assert stored.to_list() == pack.results.tables["charges"].column("Charge").to_list()
    assert sheet.value(table.area.bottom, charge) == pytest.approx(pack.results.figures["total_charged"])
    assert sheet.value(table.area.bottom, 1) == "All depots"


@pytest.mark.parametrize("name", ["Charges", "Harbour", "Millrace", "Northgate", "Uplands"])
def test_borders_and_tables_end_exactly_with_the_data(book, pack, name):
    sheet = book.sheet(name)
    table = sheet.tables[0]
    charges = pack.results.tables["charges"]
    height = charges.height if name == "Charges" else sum(depot == name for depot in charges.column("Depot"))
    assert table.data.height == height
    heading = table.area.top
    assert sheet.used.bottom == table.area.bottom == heading + height + 1
    last = table.area.right
    for row, top, bottom in (
        (heading + 1, "thin", "hair"),
        (heading + height, None, "thin"),
        (heading + 1 + height, "thin", "thin"),
        (heading, "thin", "thin"),
    ):
        for column in (1, 2, last):
            edges = book.styles.appearance(sheet.style(row, column)).edges
            assert (edges.top and edges.top.style, edges.bottom.style) == (top, bottom)
            assert (edges.left is not None, edges.right is not None) == (column == 1, column == last)
    assert book.styles.appearance(sheet.style(heading + 2 + height, 1)).edges.top is None
    frozen = (3, 0) if name == "Charges" else (0, 0)  # two tables on a sheet: neither heading is frozen
    assert (sheet.frozen, table.filter, table.totals, sheet.repeat_rows or "set") == (frozen, True, True, "set")


def test_formats_widths_and_looks(book):
    sheet = book.sheet("Charges")
    table = sheet.tables[0]
    formats = {
        column.name: book.styles.number_format(sheet.style(4, table.area.left + n))
        for n, column in enumerate(table.columns)
    }
    assert (formats["Collected"], formats["Pieces"], formats["Charge"]) == ("d mmm yyyy", "#,##0", '"£"#,##0.00')
    heading = book.styles.appearance(sheet.style(3, 1))
    assert (heading.bold, heading.fill, heading.colour, heading.font) == (True, "27343A", "FFFFFF", "Verdana")
    assert all(5 <= sheet.widths[n] <= 60 for n in range(1, table.area.right + 1))
    assert sheet.widths[4] > sheet.widths[6]  # customers' names are longer than bands


def test_the_cover_keeps_its_design(book, shipped_job):
    template = Workbook.open(shipped_job / "templates/pack.xlsx").sheet("Cover")
    cover = book.sheet("Cover")
    assert (cover.widths, cover.heights, cover.merged) == (template.widths, template.heights, template.merged)
    assert cover.value(2, 2) == "Linen pack for October 2026"
    assert cover.value(5, 5) == pytest.approx(60858.46)
    assert book.styles.number_format(cover.style(5, 5)) == '"£"#,##0.00'
    assert cover.formula(13, 5).text == "SUM(Charges[Charge])"
    assert cover.value(15, 5) == 0


def test_the_pivot_adds_up(book):
    sheet = book.sheet("By depot and band")
    totals = [sheet.value(9, column) for column in range(2, 12)]
    assert sheet.value(9, 1) == "All depots"
    for column in range(2, 12):
        assert sum(sheet.value(row, column) for row in range(5, 9)) == pytest.approx(totals[column - 2])
    assert sum(totals[:8:2]) == pytest.approx(totals[8])
    assert Area(3, 1, 4, 1) in sheet.merged


@pytest.mark.parametrize(
    ("formula", "expected"),
    [("[Pieces]*2", "T[[#This Row],[Pieces]]*2"), ("[@pieces]+1", "T[[#This Row],[Pieces]]+1"), ("[Weight]*2", "needs the column 'Weight'"),
     ("[Pieces]/total", "'total' is known to the docket"), ("SUM(charges[Pieces])", "'charges' is known to the docket"), ("1+1", "1+1")],
)  # fmt: skip
def test_docket_formulas_as_cells_write_them(formula, expected):
    try:
        called = {"pieces": "Pieces", "rate": "Rate", "weight": "Weight"}
        assert living_formula(formula, "T", called, ["Pieces", "Rate"], "a sheet", "line 1") == expected
    except UseError as error:
        assert expected in error.faults[0].why


@pytest.mark.parametrize(
    ("name", "made"),
    [
        ("Harbour", "Harbour"),
        ("By depot", "By_depot"),
        ("A1", "_A1"),
        ("2026", "_2026"),
        ("R1C1", "_R1C1"),
        ("", "Table"),
        ("taken", "taken_2"),
        ("Ünï", "Ünï"),
    ],
)
def test_table_names(name, made):
    assert safe_table_name(name, {"taken"}) == made


@pytest.mark.parametrize(
    ("name", "made"),
    [("a/b\\c.xlsx", "a-b-c.xlsx"), ("../../etc/passwd", "-..-etc-passwd"), ("CON.txt", "_CON.txt"), (" . ", "_"), ("x" * 300 + ".pdf", "x" * 176 + ".pdf"),
     ("a:b?.eml", "a-b-.eml"), ("é.xlsx", "é.xlsx"), ("nul", "_nul"), ("a\nb", "a-b")],
)  # fmt: skip
def test_file_names_are_never_paths(name, made):
    assert safe_file_name(name) == made


# -- mails -----------------------------------------------------------------------------------------------


def test_a_mail_is_a_standard_message(pack):
    mail = next(mail for mail in pack.mails if "northgate" in mail.to[0])
    message = email.message_from_bytes(mail.data, policy=default)
    assert message["Subject"] == "Linen pack October 2026: Northgate"
    assert message["To"] == "Ada Merrin <ada@northgate.larkfold.example>"
    assert message["Date"].datetime == datetime(2026, 11, 1, 8, tzinfo=UTC)
    plain = message.get_body(("plain",)).get_content()
    page = message.get_body(("html",)).get_content()
    for part in (plain, page):
        assert "£23,883.06" in part
        assert "£60,858.46" in part
        assert "Dear Ada," in part
    assert "font-family: Verdana" in page
    attached = list(message.iter_attachments())
    assert [part.get_filename() for part in attached] == [
        "Linen pack 2026-10.xlsx", "Dashboard 2026-10.xlsx", "Depot view - Northgate.pdf",
    ]  # fmt: skip
    assert attached[0].get_content() == pack.outputs[0].data
    assert b"\r\n" in mail.data
    assert b"\n" not in mail.data.replace(b"\r\n", b"")


@pytest.mark.parametrize(
    "address",
    [
        "",
        "a",
        "a@",
        "@b",
        "a b@c.example",
        "a@b.example, c@d.example",
        "a@b.example>",
        "<a@b.example",
        "a@b\n.example",
        "a..b@c.example",
    ],
)
def test_what_is_no_address(address):
    with pytest.raises(ValueError, match="is not an e-mail address"):
        parse_address("Ada", address)


def test_names_cannot_bring_in_recipients_or_headers():
    assert parse_address('Ada, "x" <y@z.example>', "a@b.example").addr_spec == "a@b.example"
    with pytest.raises(ValueError, match="line break"):
        parse_address("Ada\r\nBcc: x@y.example", "a@b.example")


def test_bodies_are_escaped():
    page = body_html(
        "Dear <b>Ada</b> & co,\n\n- one\n- two\n\nline\nbreak", BodyStyle(("A B", "sans-serif"), 9, "27343A")
    )
    assert "&lt;b&gt;Ada&lt;/b&gt; &amp; co" in page
    assert "<li>one</li>\n<li>two</li>" in page
    assert "line<br>\nbreak" in page
    assert "&#x27;A B&#x27;, sans-serif" in page


MANAGERS = [
    # a line of the list, what comes of it
    ('Harbour,"Soto, Imke",imke@harbour.example', None),
    ('Harbour,"Imke <evil@x.example>",imke@harbour.example', None),
    ("Harbour,Imke,imke@harbour.example;evil@x.example", "is not an e-mail address"),
    ('Harbour,Imke,"imke@harbour.example, evil@x.example"', "is not an e-mail address"),
    ("Harbour,Imke,", "is not an e-mail address"),
    ('Harbour,"Imke\nBcc: evil@x.example",imke@harbour.example', "line break"),
]


@pytest.mark.parametrize(("line", "why"), MANAGERS)
def test_a_list_cannot_smuggle_in_recipients(job, line, why):
    (job / "lists/managers.csv").write_text(f"Depot,Name,Email\n{line}\n", "utf-8")
    docket = load_docket(job / "docket.toml")
    if why is None:
        mail = make(docket, parse_period("2026-10")).mails[0]
        assert mail.to == ("imke@harbour.example",)
        assert "evil" not in str(email.message_from_bytes(mail.data, policy=default)["To"].addresses[0].addr_spec)
        return
    with pytest.raises(TinQuireError, match=why):
        make(docket, parse_period("2026-10"))


# -- writing and sending ---------------------------------------------------------------------------------


class Server:
    """Takes mails in place of a mail server, and breaks when told to."""

    def __init__(self, monkeypatch, fails_at=None):
        from contextlib import contextmanager

        self.taken = []

        class Session:
            def send(_, data, at, sender, to):  # noqa: N805
                if len(self.taken) == fails_at:
                    from tinquire.base.faults import Fault

                    raise AccessError(Fault("sending mails", "the line went dead"))
                self.taken.append((data, at))
                return {}

        @contextmanager
        def session(_server):
            yield Session()

        monkeypatch.setattr("tinquire.press.send.session", session)


def published(job):
    pack = make(load_docket(job / "docket.toml"), parse_period("2026-10"))
    publish(pack, NOW)
    return pack


def go(job, **more):
    return send(outgoing(job / "outbox/2026-10", job), None, job, "2026-10", lambda: NOW, **more)


def test_each_mail_is_sent_once(job, monkeypatch):
    published(job)
    server = Server(monkeypatch)
    assert len(go(job).sent) == 4
    again = go(job)
    assert (len(again.sent), len(again.before), len(server.taken)) == (0, 4, 4)
    assert len(go(job, again=True).sent) == 4


def test_a_breakdown_on_the_way_sends_the_rest_later(job, monkeypatch):
    published(job)
    server = Server(monkeypatch, fails_at=2)
    report = go(job)
    assert len(server.taken) == len(report.sent) == 2 and "the line went dead" in report.refused[0].why
    Server(monkeypatch)
    report = go(job)
    assert (len(report.sent), len(report.before)) == (2, 2)


def test_a_mail_with_other_content_is_held_back(job, monkeypatch):
    published(job)
    Server(monkeypatch)
    go(job)
    docket = (job / "docket.toml").read_text("utf-8")
    (job / "docket.toml").write_text(docket.replace("The linen desk\n", "Your linen desk\n"), "utf-8")
    published(job)
    report = go(job)
    assert (len(report.sent), len(report.held)) == (0, 4)
    assert "with other content" in report.held[0].why
    assert "--again" in report.held[0].do


def test_a_mail_whose_sending_broke_off_is_held_back(job, monkeypatch):
    pack = published(job)
    mail = pack.mails[0]
    assert Daybook(job).claim(mail.identity, digest(mail.data), "2026-10", "x", "s", NOW, again=False)
    assert not Daybook(job).claim(mail.identity, digest(mail.data), "2026-10", "x", "s", NOW, again=False)
    Server(monkeypatch)
    report = go(job)
    assert (len(report.sent), len(report.held)) == (3, 1)
    assert "broke off" in report.held[0].why


def test_mails_that_are_not_made_any_more_leave_the_outbox(job):
    published(job)
    (job / "lists/managers.csv").write_text(
        "Depot,Name,Email\nHarbour,Imke Soto,imke@harbour.larkfold.example\n", "utf-8"
    )
    pack = make(load_docket(job / "docket.toml"), parse_period("2026-10"))
    notes = publish(pack, NOW)
    assert len(notes) == 3
    assert len(list((job / "outbox/2026-10").glob("*.eml"))) == 1


def test_a_pack_that_cannot_be_written_changes_nothing(job):
    published(job)
    runs = Daybook(job).runs()
    before = {path: path.read_bytes() for path in job.rglob("*") if path.is_file()}
    (job / "outbox/2026-10" / "managers - ada@northgate.larkfold.example.eml").unlink()
    (job / "outbox/2026-10" / "managers - ada@northgate.larkfold.example.eml").mkdir()
    docket = (job / "docket.toml").read_text("utf-8")
    (job / "docket.toml").write_text(
        docket.replace('total_label = "All depots"', 'total_label = "Everything"'), "utf-8"
    )
    pack = make(load_docket(job / "docket.toml"), parse_period("2026-10"))
    with pytest.raises(AccessError, match="nothing was changed"):
        publish(pack, NOW)
    after = {path: path.read_bytes() for path in job.rglob("*") if path.is_file()}
    changed = {path.name for path in {*before, *after} if before.get(path) != after.get(path)}
    assert changed == {"docket.toml", "daybook.sqlite", "managers - ada@northgate.larkfold.example.eml"}
    assert Daybook(job).runs() == runs and not Daybook(job).publications()


def test_the_daybook_keeps_what_was_read_and_made(job):
    pack = published(job)
    book = Daybook(job)
    assert [(number, period) for number, _, period, _ in book.runs()] == [(1, "2026-10")]
    with book._open() as connection:
        read = connection.execute("SELECT file, digest FROM read").fetchall()
        made = connection.execute("SELECT output, digest FROM made").fetchall()
    assert len(read) == 11
    assert all(digest((job / file).read_bytes()) == known for file, known in read)
    assert ("pack", digest(pack.outputs[0].data)) in made
    assert len(made) == 14 and ("proof", digest(pack.proof.data)) in made
    (job / "daybook.sqlite").write_bytes(b"not a database at all" * 100)
    with pytest.raises(AccessError, match="daybook"):
        book.runs()
