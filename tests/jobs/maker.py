"""Random jobs: sources as offices export them, and a docket over them that is worked out plainly while it is drawn."""

from __future__ import annotations

import csv
import io
import zipfile
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import date, timedelta
from xml.sax.saxutils import escape, quoteattr

from hypothesis import strategies as st

from jobs.plain import Plain, Stop, aggregate, apply_step, evaluated, text, together
from jobs.plain import pivot as plain_pivot

ITEMS = ["Tea", "Soap", "Bath towel", "007", "7", "A&B <x>", "=1+1", "[:title:]", "tea", "Ünder"]
SITES = ["North", "South", "O'Hara's", 'East "Inn"']
NOTES = [None, None, "urgent", "a - b", "x;y", "none", "two\nlines", "  lead", "1e5", "E2"]
KINDS = {
    "Item": "text",
    "Site": "text",
    "Pieces": "whole",
    "Fee": "money",
    "Share": "number",
    "Day": "date",
    "Paid": "yes/no",
    "Note": "text",
}
NUMERIC = ("whole", "money", "number", "percent")
EPOCH = date(1899, 12, 30)


@dataclass
class Job:
    """A docket, the files that it reads, and what it has to come to."""

    docket: dict = field(default_factory=dict)
    files: dict = field(default_factory=dict)
    tables: dict = field(default_factory=dict)
    types: dict = field(default_factory=dict)
    figures: dict = field(default_factory=dict)
    #: The rows that each figure is made of.
    figure_rows: dict = field(default_factory=dict)


class Draw:
    """Choices, as Hypothesis makes them."""

    def __init__(self, draw):
        self.draw = draw

    def of(self, choices):
        return self.draw(st.sampled_from(list(choices)))

    def number(self, low, high):
        return self.draw(st.integers(low, high))

    def chance(self, percent):
        return self.draw(st.integers(1, 100)) > 100 - percent

    def some(self, choices, least=1, most=3):
        choices = list(choices)
        return [
            choices.pop(self.number(0, len(choices) - 1)) for _ in range(min(self.number(least, most), len(choices)))
        ]


def value_of(draw, heading):
    kind = KINDS[heading]
    if heading == "Item":
        return draw.of(ITEMS)
    if heading == "Site":
        return draw.of([*SITES, *SITES, None])
    if heading == "Note":
        return draw.of(NOTES)
    if draw.chance(12):
        return None
    if kind == "whole":
        return float(draw.number(-3, 40))
    if kind == "money":
        return draw.number(-2000, 99999) / 100
    if kind == "number":
        return draw.number(-500, 5000) / 8
    return draw.chance(50) if kind == "yes/no" else float((date(2026, 10, 1) - EPOCH).days + draw.number(0, 60))


# -- files -----------------------------------------------------------------------------------------------


def delimited(draw, headings, rows, decimal):
    """Rows as delimited text; some numbers as people write them."""
    stream = io.StringIO()
    writer = csv.writer(stream, delimiter=";" if decimal == "," else ",", lineterminator=draw.of(["\n", "\r\n"]))
    for row in rows:
        writer.writerow([spelled(draw, value, heading, decimal) for value, heading in zip(row, headings, strict=True)])
    return stream.getvalue().encode("utf-8-sig" if draw.chance(30) else "utf-8")


def spelled(draw, value, heading, decimal):
    if isinstance(value, bool):
        return draw.of(["yes", "TRUE"] if value else ["no", "FALSE"])
    if value is None or isinstance(value, str):
        return value or ""
    if KINDS.get(heading) == "date":
        return (EPOCH + timedelta(days=value)).isoformat()
    plain = text(abs(value)).replace(".", decimal)
    if KINDS.get(heading) == "money":
        whole, _, cents = f"{abs(value):,.2f}".rpartition(".")
        grouped = whole.replace(",", "." if decimal == "," else ",") + decimal + cents
        plain = draw.of([plain, plain, grouped, f"€ {grouped}", f"{grouped} €"])
    return draw.of([f"-{plain}", f"-{plain}", f"{plain}-"] if value < 0 else [plain])


def workbook(headings, rows):
    """Rows as the least of a workbook that the standard allows (ECMA-376 Part 1, 12.2), texts in their cells."""
    main = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
    office = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
    lines = []
    for row, values in enumerate(rows, start=1):
        cells = []
        for place, value in enumerate(values):
            at = f'r="{chr(65 + place)}{row}"'
            if isinstance(value, bool):
                cells.append(f'<c {at} t="b"><v>{int(value)}</v></c>')
            elif isinstance(value, float):
                cells.append(f"<c {at}><v>{value!r}</v></c>")
            elif value is not None:
                cells.append(f'<c {at} t="inlineStr"><is><t xml:space="preserve">{escape(value)}</t></is></c>')
        lines.append(f'<row r="{row}">{"".join(cells)}</row>')
    types = "application/vnd.openxmlformats-officedocument.spreadsheetml"
    package = "http://schemas.openxmlformats.org/package/2006"
    parts = {
        "[Content_Types].xml": f'<Types xmlns="{package}/content-types"><Default Extension="rels" ContentType='
        f'"application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="{types}.worksheet+xml"/>'
        f'<Override PartName="/wb.xml" ContentType="{types}.sheet.main+xml"/></Types>',
        "_rels/.rels": f'<Relationships xmlns="{package}/relationships"><Relationship Id="r1" Type="{office}/officeDocument" Target="wb.xml"/></Relationships>',
        "wb.xml": f'<workbook xmlns="{main}" xmlns:r="{office}"><sheets><sheet name="Data" sheetId="1" r:id="r1"/></sheets></workbook>',
        "_rels/wb.xml.rels": f'<Relationships xmlns="{package}/relationships"><Relationship Id="r1" Type="{office}/worksheet" Target="s.xml"/></Relationships>',
        "s.xml": f"<worksheet xmlns={quoteattr(main)}><sheetData>{''.join(lines)}</sheetData></worksheet>",
    }
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w") as archive:
        for name, content in parts.items():
            archive.writestr(zipfile.ZipInfo(name), content)
    return stream.getvalue()


def source(draw, job, name, headings, most):
    """One source of one to three files, their columns in different orders, with titles, blank rows and totals."""
    rows, origins = [], []
    ending, decimal = draw.of(["csv", "csv", "xlsx"]), draw.of(".,")
    files = draw.number(1, 3) if most > 3 else 1
    clutter = draw.chance(50)
    for number in range(files):
        own = draw.some(headings, len(headings), len(headings)) if draw.chance(40) else list(headings)
        data = [{heading: value_of(draw, heading) for heading in headings} for _ in range(draw.number(1, most))]
        # A row that is blank throughout is none.
        data = [row for row in data if any(value is not None for value in row.values())]
        data = data or [{heading: {"text": "x", "yes/no": True}.get(KINDS[heading], 46300.0) for heading in headings}]
        lines, at = ([["Export of October"], []] if clutter else []) + [own], []
        for row in data:
            if clutter and draw.chance(8):
                lines.append([])
            lines.append([row[heading] for heading in own])
            at.append(len(lines))
        if clutter and "Fee" in own and own[0] in ("Item", "Site", "Note"):
            sums = {h: sum(row[h] or 0.0 for row in data) for h in own if KINDS[h] in ("whole", "money", "number")}
            lines.append([sums.get(h, "Total" if h == own[0] else None) for h in own])
        lines = [[*line, *([None] * (len(own) - len(line)))] for line in lines]
        file = f"{name}-{number}.{ending}"
        content = workbook(own, lines) if ending == "xlsx" else delimited(draw, own, lines, decimal)
        if content in job.files.values():
            continue  # the same file twice stops a run
        job.files[file] = content
        if ending == "csv":  # a quoted field over two lines makes later rows begin further down
            extra, starts = 0, {}
            for line_number, line in enumerate(lines, start=1):
                starts[line_number] = line_number + extra
                extra += sum(value.count("\n") for value in line if isinstance(value, str))
            at = [starts[one] for one in at]
        first = next(iter(rows), None)
        assert first is None or len(first) == len(headings)
        rows += [[row[heading] for heading in headings] for row in data]
        origins += [frozenset({(file, one)}) for one in at]
        if number == 0:
            order = own
    spec = {"files": f"{name}-*.{ending}", "types": {heading: KINDS[heading] for heading in headings}}
    if ending == "csv":
        spec |= {"decimal": decimal, "separator": ";" if decimal == "," else ","}
    if not clutter:
        spec["totals_row"] = "none"
    job.docket.setdefault("sources", {})[name] = spec
    job.tables[name] = Plain(list(headings), rows, origins).select(order)
    job.types[name] = {heading: KINDS[heading] for heading in headings}


# -- steps -----------------------------------------------------------------------------------------------


def _numeric(table):
    return [h for h in table.headings if all(v is None or (isinstance(v, float)) for v in table.column(h))]


def formula(draw, table):
    """A formula over the headings of a table."""
    numeric, every = [f"[{h}]" for h in _numeric(table)], [f"[{h}]" for h in table.headings]
    if not numeric or draw.chance(30):
        one, other = draw.of(every), draw.of(every)
        return draw.of(
            [
                f'{one}&"-x"',
                '"fixed"',
                f"UPPER({one})",
                f"{one}",
                f"LEN({one})",
                f"{one}&{other}",
                f'IF({one}="","none",{one})',
                f"LEFT({one},2)",
            ]
        )
    a, b = draw.of(numeric), draw.of(numeric)
    n = draw.number(1, 9)
    return draw.of([
        f"{a}*{b}", f"{a}+{n}", f"ROUND({a}*{n}/8,2)", f"ROUND({a}*{b},2)", f"IF({a}>{n},{a}-{b},{b})", f"MAX({a},{b},{n})",
        f"{a}", f'IF({a}>{b},"more","less")', f"{a}*2-{b}", f"{a}/{n}", f"{a}>{n}", f"SUM({a},{b})", f"ABS({a})+{b}",
    ])  # fmt: skip


def step(draw, job, name, table):
    """A step over a table, as a docket writes it; not every one can be done."""
    headings, numeric = table.headings, _numeric(table)
    one, fresh = draw.of(headings), f"N{draw.number(1, 3)}"
    target = draw.of([fresh, fresh, one])
    others = [known for known in job.tables if known != name]
    other = job.tables[draw_other := draw.of(others)]
    kind = draw.of([
        "derive", "derive", "derive", "derive", "match", "match", "stack", "stack", "rename", "replace", "fill", "drop", "keep",
        "keep_rows", "drop_rows", "sort", "unique", "limit", "sample", "group", "join", "split", "subtract", "move", "type",
        "unpivot", "window",
    ])  # fmt: skip
    shared = [h for h in headings if h in other.headings]
    key = shared[0] if shared else other.headings[0]
    on = {shared[0] if shared else one: key}
    match kind:
        case "derive":
            return {"derive": target, "as": formula(draw, table)}
        case "match":
            bring = draw.some([h for h in other.headings if h != key] or other.headings, 1, 2)
            made = {"match": draw_other, "on": on, "bring": draw.of([bring, {bring[0]: fresh}])}
            made |= draw.of(
                [
                    {},
                    {"unmatched": "blank"},
                    {"unmatched": "drop"},
                    {"otherwise": {draw.of([fresh, bring[0]]): draw.of(["-", 0.0])}},
                ]
            )
            return made | draw.of([{"repeated": "first"}, {"repeated": "last"}, {"repeated": "sum"}, {}])
        case "stack":
            return {"stack": [draw_other]}
        case "rename":
            return {"rename": {one: draw.of([f"{one} old", fresh, "Driver's hours", "Rate #1"])}}
        case "replace":
            if draw.chance(50):
                return {"replace": one, "parts": {draw.of(["a", "North", "0", " "]): draw.of(["", "zz"])}}
            values = [text(v) for v in table.column(one) if v is not None]
            return {
                "replace": one,
                "values": {draw.of(values): draw.of(["other", 5.0, True])} if values else {"x": "y"},
            }
        case "fill":
            return {"fill": [one]} | draw.of([{}, {}, {"value": draw.of([0.0, "?"])}])
        case "drop":
            return {"drop": [one]} if len(headings) > 1 else {"limit": 9}
        case "keep":
            return {"keep": draw.some(headings, 1, len(headings))}
        case "keep_rows" | "drop_rows":
            column = draw.of(numeric or headings)
            return {kind: f"[{column}]>{draw.number(0, 9)}" if numeric else f'[{column}]<>""'}
        case "sort":
            return {"sort": [draw.of(["", "-"]) + h for h in draw.some(headings, 1, 2)]}
        case "unique":
            return {"unique": draw.some(headings, 1, 2), "keep": draw.of(["first", "last"])}
        case "limit":
            return {"limit": draw.number(0, 8)}
        case "sample":
            return {"sample": draw.of([0, 1000])}
        case "group":
            keys = draw.some([h for h in headings if h not in ("N1",)] or headings, 1, 2)
            hows = ["sum", "average", "smallest", "largest", "count", "distinct", "first", "last"]
            return {
                "group": keys,
                "values": {f"{how} of": f"{how} {draw.of(numeric or headings)}" for how in draw.some(hows, 1, 2)},
            }
        case "join":
            return {"join": draw.some(headings, 1, 2), "into": fresh, "mark": draw.of([" ", "/"])}
        case "split":
            return {"split": one, "into": ["S1", "S2"], "at": draw.of([" ", "-", "o"])}
        case "subtract":
            return {"subtract": draw_other, "on": on, "keep": draw.of(["others", "both"])}
        case "move":
            return {"move": [one]} | draw.of([{"to": "front"}, {"to": "end"}])
        case "type":
            return {"type": {one: "text"}}
        case "unpivot":
            return {
                "unpivot": draw.some(numeric or headings, 1, 2),
                "names": "What",
                "values": "How much",
                "blanks": draw.chance(30),
            }
        case _:
            way = draw.of(["running", "previous", "difference", "rank", "share", "number"])
            asked = way if way == "number" else f"{way} {draw.of(numeric or headings)}"
            return {"window": target, "as": asked, "within": draw.some(headings, 0, 1)}


def table(draw, job, name):
    start = draw.of([*job.tables, "rows"])
    made, steps = job.tables[start], []
    types = dict(job.types.get(start, {}))
    for _ in range(draw.number(1, 7)):
        one = step(draw, job, name, made)
        try:
            after = apply_step(made, one, job.tables)
        except Stop:
            continue
        folded = [heading.casefold() for heading in after.headings]
        if len(set(folded)) < len(folded) or len(after.headings) > 14 or len(after.rows) > 60:
            continue
        made = after
        steps.append(one)
    job.docket.setdefault("tables", {})[name] = {"from": start, "steps": steps}
    job.tables[name] = made
    job.types[name] = types


# -- outputs ---------------------------------------------------------------------------------------------


def pivot(draw, job, name):
    source = draw.of(list(job.tables))
    rows = job.tables[source]
    numeric = _numeric(rows) or rows.headings
    fields = draw.some(rows.headings, 1, 3)
    cut = draw.number(1, max(len(fields) - 1, 1))
    hows = [
        "sum",
        "average",
        "count",
        "numbers",
        "distinct",
        "smallest",
        "largest",
        "median",
        "product",
        "deviation",
        "variance",
        "first",
        "last",
    ]
    plain = ["sum", "average", "count", "smallest", "largest"]
    values = [{how: draw.of(numeric), "as": f"{how}!"} for how in draw.some(plain if draw.chance(60) else hows, 1, 2)]
    asked = {"from": source, "rows": fields[:cut][:2], "values": values}
    if fields[cut:]:
        asked["columns"] = fields[cut:][:1]
    asked |= (
        draw.of([{}, {"empty": 0.0}, {"empty": "-"}])
        | draw.of([{}, {"totals": "All of it"}])
        | draw.of([{}, {"totals_across": "Across"}])
    )
    if draw.chance(30):
        asked["subtotals"] = {}
    if draw.chance(20) and _numeric(rows):
        asked["where"] = f"[{draw.of(_numeric(rows))}]>{draw.number(0, 5)}"
    with suppress(Stop):
        plain_pivot(rows, asked)
        job.docket.setdefault("pivots", {})[name] = asked


def statement(draw, job):
    """Items mapped to lines with categories, signs, subtotals and totals."""
    items = list(dict.fromkeys(item for item in job.tables["rows"].column("Item")))
    amount = draw.of([h for h in ("Fee", "Pieces", "Share") if h in job.tables["rows"].headings] or ["Item"])
    if amount == "Item" or len({item.casefold() for item in items}) < len(items):
        return
    names = ["Sales", "Linen & more", "Other (x)", "Rest"][: draw.number(1, 4)]
    lines = [[name, "sum", draw.of("AB"), draw.of(["1", "-1"])] for name in names]
    lines.insert(draw.number(0, len(lines)), ["A in all", "subtotal", "A", ""])
    if draw.chance(50):
        lines.insert(draw.number(0, len(lines)), ["Heading", "heading", "", ""])
    lines.insert(draw.number(1, len(lines)), ["First total", "total", "", ""])
    lines.append(["Total of the rest", "total", "", ""])
    mapping = [[item, draw.of([*names, *names, ""])] for item in items]
    headings = {"lines": ["Line", "Kind", "Category", "Sign"], "map": ["Account", "Line"]}
    for name, rows in (("lines", lines), ("map", mapping)):
        stream = io.StringIO()
        csv.writer(stream, lineterminator="\n").writerows([headings[name], *rows])
        job.files[f"{name}.csv"] = stream.getvalue().encode()
        types = dict.fromkeys(headings[name], "text")
        job.docket["sources"][name] = {
            "file": f"{name}.csv",
            "types": types,
            "separator": ",",
            "totals_row": "none",
            "header": 1,
        }
        rows = [[value or None for value in row] for row in rows]
        job.tables[name] = Plain(headings[name], rows, [frozenset({(f"{name}.csv", n + 2)}) for n in range(len(rows))])
    asked = {"table": "rows", "account": "Item", "amount": amount, "as": "Now"}
    job.docket["statements"] = {"s0": {"lines": "lines", "map": {"table": "map"}, "amounts": [asked]}}


def figures(draw, job):
    for number in range(draw.number(1, 3)):
        name = draw.of(list(job.tables))
        table = job.tables[name]
        numeric = _numeric(table) or table.headings
        column = f"{name}[{draw.of(numeric)}]"
        asked = draw.of(
            [f"SUM({column})", f"ROWS({column})", f"COUNTA({column})", f"MAX({column})", f"COUNT({column})*2"]
        )
        if f"figure_{number - 1}" in job.figures and draw.chance(40):
            asked = f"figure_{number - 1}+1"
        with suppress(Stop):
            value = evaluated(asked, None, lambda of, heading: job.tables[of].column(heading), job.figures)
            job.docket.setdefault("figures", {})[f"figure_{number}"] = asked
            job.figures[f"figure_{number}"] = value
            before = job.figure_rows.get(asked.partition("+")[0])
            job.figure_rows[f"figure_{number}"] = together(table.origins) if before is None else before
    keys = [heading for heading in table.headings if any(isinstance(v, str) and v for v in table.column(heading))]
    if keys and _numeric(table) and draw.chance(50):
        key = draw.of(keys)
        wanted = draw.of([v for v in table.column(key) if v in ("Tea", "Soap", "Bath towel", *SITES)] or ["Tea"])
        of = draw.of(_numeric(table))
        with suppress(Stop):
            rows = [
                n for n, v in enumerate(table.column(key)) if isinstance(v, str) and v.casefold() == wanted.casefold()
            ]
            value = aggregate("sum", [table.column(of)[n] for n in rows]) or 0.0
            quoted = wanted.replace('"', '""')
            job.docket.setdefault("figures", {})["chosen"] = f'SUMIFS({name}[{of}],{name}[{key}],"{quoted}")'
            job.figures["chosen"], job.figure_rows["chosen"] = value, together(table.pick(rows).origins)


def sheets(draw, job):
    made = []
    for name, table in job.tables.items():
        if name in job.docket["sources"] and not draw.chance(35):
            continue
        sheet = {"name": f"Sheet {name}", "table": name, "formulas": draw.of(["living", "living", "values"])}
        numeric = _numeric(table)
        if numeric and draw.chance(60):
            kinds = ["sum", "average", "count", "smallest", "largest"]
            sheet["totals"] = {h: draw.of(kinds) for h in draw.some(numeric, 1, 2)}
        if draw.chance(30):
            sheet["title"] = f"About [:title:], {name}"
        if draw.chance(20) and table.rows:
            sheet |= {"split": draw.of(table.headings), "name": f"{name} part"}
        elif draw.chance(15):
            sheet["rows_per_sheet"] = draw.number(1, 9)
        elif draw.chance(15):
            sheet["columns"] = draw.some(table.headings, 1, 4)
            sheet["formulas"] = "values"
            sheet.pop("totals", None)
        made.append(sheet)
    whole = {sheet["table"] for sheet in made if not {"split", "rows_per_sheet", "columns"} & set(sheet)}
    for name, asked in job.docket.get("pivots", {}).items():
        living = asked["from"] in whole and "where" not in asked and draw.chance(60)
        made.append({"name": f"Pivot {name}", "pivot": name, "formulas": "living" if living else "values"})
    for name in job.docket.get("statements", {}):
        for one in ("map", "rows"):
            if one not in whole:
                made.append({"name": f"All {one}", "table": one})
        made.append({"name": f"Statement {name}", "statement": name, "formulas": draw.of(["living", "values"])})
    if not made:
        made.append({"name": "Rows", "table": "rows"})
    job.docket["workbooks"] = {"book": {"name": "Book.xlsx", "sheets": made}}


@st.composite
def jobs(draw_value):
    return made_job(Draw(draw_value))


def made_job(draw):
    job = Job({"title": "A job", "period": "month", "out": "out", "outbox": "mails"})
    source(draw, job, "rows", draw.some(KINDS, 4, len(KINDS)) if draw.chance(50) else list(KINDS), 7)
    source(draw, job, "rates", ["Item", *draw.some(["Pieces", "Fee", "Share", "Note"], 1, 3)], 4)
    for number in range(draw.number(1, 3)):
        table(draw, job, f"t{number}")
    for number in range(draw.number(0, 2)):
        pivot(draw, job, f"p{number}")
    figures(draw, job)
    if "Item" in job.tables["rows"].headings and draw.chance(25):
        statement(draw, job)
    sheets(draw, job)
    return job
