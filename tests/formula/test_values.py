"""Formulas and their values, one case a line: operators, coercions, references, functions."""

from __future__ import annotations

import pytest

from tinquire.cells import CellError
from tinquire.formula import FormulaError, parse
from tinquire.formula.engine.operands import Scalar
from tinquire.formula.engine.registry import functions
from worlds import column_of, span, value

DIV0, VALUE, REF, NAME, NUM, NA = (
    CellError.DIV0, CellError.VALUE, CellError.REF, CellError.NAME, CellError.NUM, CellError.NA,
)  # fmt: skip

CELLS = {
    "A1": 1.0, "A2": 2.0, "A3": 3.0, "A4": None, "A5": "5", "A6": True, "A7": "tin",
    "B1": "bed", "B2": "Bath", "B3": "bed", "B4": "table", "C1": 10.0, "C2": 20.0, "C3": 30.0, "C4": 40.0,
    "D1": DIV0, "E1": 46296.0, "F1": "1,234.5", "F2": "2026-10-01", "F3": "5%", "F4": " ", "G1": "", "H1": 0.0,
}  # fmt: skip

OPERATORS = [
    ("1+2*3", 7), ("(1+2)*3", 9), ("-2^2", 4), ("2^-1", 0.5), ("2^3^2", 64), ("-(2^2)", -4), ("10-4-3", 3),
    ("100/10/5", 2), ("5%", 0.05), ("50%%", 0.005), ("-5%", -0.05), ("1=1", True), ("1<>1", False), ("2>=2", True),
    ('"a"&"b"', "ab"), ('1&"x"', "1x"), ("1&2+3", "15"), ('"a"="A"', True), ('"a"<"B"', True), ('"10"<"9"', True),
    ("1<\"a\"", True), ('"z"<TRUE', True), ("99<FALSE", True), ("TRUE=1", False), ('"1"=1', False), ("1/0", DIV0),
    ("0/0", DIV0), ("0^0", NUM), ("0^-1", DIV0), ("(-8)^(1/3)", NUM), ("1E308*10", NUM), ('"x"+1', VALUE),
    ('"5"+1', 6), ("TRUE+1", 2), ('"5%"*100', 5), ("--\"3\"", 3), ("+\"x\"", "x"), ("#N/A+1", NA), ("1/0+#N/A", DIV0),
    ('#N/A&"x"', NA), ("0.1+0.2", 0.1 + 0.2), ("1 + 2", 3), ("1\n+2", 3), ("TRUE", True), ("true", True),
]  # fmt: skip

REFERENCES = [
    ("A1", 1), ("$A$1", 1), ("A1+A2", 3), ("A4", None), ("A4+1", 1), ('A4&"x"', "x"), ("A4=0", True), ('A4=""', True),
    ("A4=FALSE", True), ("A5+1", 6), ("A6+1", 2), ("A7+1", VALUE), ("D1+1", DIV0), ("F1*2", 2469), ("F2+1", 46297),
    ("F3*100", 5), ("F4+1", VALUE), ("G1+1", VALUE), ('G1=""', True), ("G1=A4", True), ("A1:A3*2", VALUE),
    ("'Other sheet'!A1", 7), ("'Other sheet'!A2&1", "x1"), ("Nowhere!A1", REF), ("undefined_name", NAME),
    ("SUM(A:A)", 6), ("SUM(1:1)", DIV0), ("SUM($A$1:$A$3)", 6), ("rate*2", 0.4), ("SUM(amounts)", 100),
]  # fmt: skip

AGGREGATES = [
    ("SUM(A1:A7)", 6), ("SUM(A1,A2,A5)", 3), ('SUM("5",TRUE)', 6), ('SUM("x")', VALUE), ("SUM(D1,A1)", DIV0),
    ("SUM(A4)", 0), ("SUM({1,2;3,4})", 10), ("SUM(A1:A3*C1:C3)", VALUE), ("COUNT(A1:A7)", 3), ("COUNT(1,\"2\",\"x\")", 2),
    ("COUNT(D1)", 0), ("COUNTA(A1:A7)", 6), ("COUNTA(G1)", 1), ("COUNTA(D1)", 1), ("AVERAGE(A1:A7)", 2),
    ("AVERAGE(A4)", DIV0), ("AVERAGE(D1)", DIV0), ("MIN(A1:A7)", 1), ("MAX(A1:A7)", 3), ("MIN(A4)", 0), ("MAX(\"4\",1)", 4),
    ("MIN(-1,TRUE)", -1), ("SUMPRODUCT(A1:A3,C1:C3)", 140), ("SUMPRODUCT(A1:A3*C1:C3)", 140),
    ("SUMPRODUCT((B1:B4=\"bed\")*C1:C4)", 40), ("SUMPRODUCT(A1:A2,C1:C3)", VALUE), ("SUBTOTAL(9,C1:C4)", 100),
    ("SUBTOTAL(101,C1:C4)", 25), ("SUBTOTAL(3,B1:B4)", 4), ("SUBTOTAL(2,A1:A7)", 3), ("SUBTOTAL(4,C1:C4)", 40),
    ("SUBTOTAL(105,C1:C4)", 10), ("SUBTOTAL(77,C1:C4)", VALUE), ("SUMPRODUCT({1E308,1E308},{1,1})", NUM),
    ("SUMPRODUCT({1E308},{1E308})", NUM), ("SUM({1E308,1E308})", NUM), ('SUMIFS({1E308,1E308},{1,1},1)', NUM),
    ('AVERAGEIFS({1E308,1E308},{1,1},1)', NUM), ("DATE(1E308,1E308,1)", NUM),
]  # fmt: skip

CONDITIONS = [
    ("IF(1,2,3)", 2), ("IF(0,2,3)", 3), ("IF(A4,2,3)", 3), ("IF(FALSE,2)", False), ("IF(TRUE,,3)", None),
    ("IF(1,2,1/0)", 2), ("IF(1/0,2,3)", DIV0), ('IF("x",1,2)', VALUE), ('IF("true",1,2)', 1), ("IFERROR(1/0,5)", 5),
    ("IFERROR(4,1/0)", 4), ("IFERROR(D1,A1)", 1), ("AND(TRUE,1)", True), ("AND(A1:A3)", True), ("AND(A1:A3,0)", False),
    ("AND(A7:A7)", VALUE), ("AND(A7:A7,TRUE)", True), ("AND(B1:B4)", VALUE), ("OR(FALSE,0)", False), ("OR(H1:H1,A1)", True), ("OR(D1,TRUE)", DIV0), ('AND("x")', VALUE),
    ("NOT(0)", True), ("NOT(A7)", VALUE), ("AND(A4)", VALUE), ("OR(A7,FALSE)", False), ("ISBLANK(A4)", True), ("ISBLANK(G1)", False), ("ISNUMBER(A5)", False),
    ("ISTEXT(A5)", True), ("ISERROR(D1)", True), ("NA()", NA),
]  # fmt: skip

CRITERIA = [
    ('SUMIFS(C1:C4,B1:B4,"bed")', 40), ('SUMIFS(C1:C4,B1:B4,"BED")', 40), ('SUMIFS(C1:C4,B1:B4,"b*")', 60),
    ('SUMIFS(C1:C4,B1:B4,"b??")', 40), ('SUMIFS(C1:C4,B1:B4,"<>bed")', 60), ('SUMIFS(C1:C4,C1:C4,">15")', 90),
    ('SUMIFS(C1:C4,C1:C4,">="&C2,B1:B4,"b*")', 50), ('SUMIFS(C1:C4,B1:B4,B2)', 20), ('SUMIFS(C1:C3,B1:B4,"x")', VALUE),
    ('COUNTIFS(B1:B4,"bed")', 2), ('COUNTIFS(A1:A7,5)', 1), ('COUNTIFS(A1:A7,"=")', 1), ('COUNTIFS(A1:A7,"<>")', 6),
    ('COUNTIFS(A1:A7,"")', 1), ('COUNTIFS(A1:A7,TRUE)', 1), ('COUNTIFS(A1:A7,">1")', 2), ('COUNTIFS(B1:B4,"<c")', 3),
    ('COUNTIFS(D1:D1,"#DIV/0!")', 1), ('COUNTIFS(B1:B4,"~*")', 0), ('AVERAGEIFS(C1:C4,B1:B4,"bed")', 20),
    ('AVERAGEIFS(C1:C4,B1:B4,"x")', DIV0), ('SUMIF(C1:C4,">15")', 90), ('SUMIF(B1:B4,"bed",C1:C4)', 40),
    ('COUNTIF(B1:B4,"*e*")', 3), ('SUMIFS(D1:D1,A1:A1,1)', DIV0), ('SUMIFS(D1:D1,A1:A1,2)', 0),
    ('COUNTIFS(E1:E1,"2026-10-01")', 1), ('COUNTIFS(A1:A3,">=2",C1:C3,"<30")', 1),
]  # fmt: skip

LOOKUPS = [
    ('VLOOKUP("bath",B1:C4,2,FALSE)', 20), ('VLOOKUP("b*",B1:C4,2,FALSE)', 10), ('VLOOKUP("x",B1:C4,2,FALSE)', NA),
    ("VLOOKUP(2.5,A1:C3,3)", 20), ("VLOOKUP(0.5,A1:C3,3)", NA), ('VLOOKUP("bed",B1:C4,3,FALSE)', REF),
    ('VLOOKUP("bed",B1:C4,0,FALSE)', VALUE), ("VLOOKUP(D1,A1:C3,2)", DIV0), ('MATCH("table",B1:B4,0)', 4),
    ("MATCH(25,C1:C4)", 2), ("MATCH(25,{40,30,20},-1)", 2), ("MATCH(9,C1:C4,0)", NA), ("MATCH(1,A1:C3,0)", NA),
    ('MATCH("TABLE",B1:B4,0)', 4), ("INDEX(C1:C4,3)", 30), ("INDEX(A1:C3,2,3)", 20), ("INDEX(A1:C3,9,1)", REF),
    ("SUM(INDEX(A1:C3,0,3))", 60), ("INDEX({1,2;3,4},2,2)", 4), ("SUM(INDEX({1,2;3,4},2,0))", 7),
    ('INDEX(C1:C4,MATCH("Bath",B1:B4,0))', 20), ("ROWS(A1:C3)", 3), ("COLUMNS(A1:C3)", 3), ("ROWS(A:A)", 1048576),
]  # fmt: skip

TEXTS_AND_DATES = [
    ('LEFT("linen",3)', "lin"), ('LEFT("linen")', "l"), ('LEFT("linen",99)', "linen"), ('LEFT("x",-1)', VALUE),
    ("LEFT(12.5,2)", "12"), ('RIGHT("linen",2)', "en"), ('RIGHT("linen",0)', ""), ('MID("linen",2,3)', "ine"),
    ('MID("linen",0,3)', VALUE), ('MID("linen",9,3)', ""), ("LEN(1234.5)", 6), ("LEN(A4)", 0), ("LEN(D1)", DIV0),
    ('CONCATENATE("a",1,TRUE)', "a1TRUE"), ('UPPER("tin")', "TIN"), ('LOWER("TIN")', "tin"), ('TRIM(" a  b ")', "a b"),
    ('TEXT(1234.5,"#,##0.00")', "1,234.50"), ('TEXT(E1,"d mmmm yyyy")', "1 October 2026"), ('TEXT("x","0")', "x"),
    ('TEXT(A4,"0.0")', "0.0"), ('TEXT(D1,"0")', DIV0), ("YEAR(E1)", 2026), ("MONTH(E1)", 10), ("DAY(E1)", 1),
    ('YEAR("2026-10-01")', 2026), ('YEAR("x")', VALUE), ("DAY(-1)", NUM), ("DATE(2026,10,1)", 46296),
    ("DATE(2026,13,1)", 46388), ("DATE(2026,3,0)", 46081), ("DATE(126,10,1)", 46296), ("DATE(-1,1,1)", NUM),
    ("DAY(60)", 29), ("ROUND(2.5,0)", 3), ("ROUND(-2.5,0)", -3), ("ROUND(1.005,2)", 1.01), ("ROUND(2.345,2)", 2.35),
    ("ROUND(1234,-2)", 1200), ("ROUND(1E300,2)", 1e300), ("ROUNDUP(2.1,0)", 3), ("ROUNDDOWN(-2.9,0)", -2),
    ("INT(-1.5)", -2), ("MOD(-7,3)", 2), ("MOD(7,-3)", -2), ("MOD(1,0)", DIV0), ("ABS(-3)", 3), ('ABS("x")', VALUE),
]  # fmt: skip

#: Arrays where a function wants one value: an array of results, one for each.
BY_ELEMENT = [
    ('SUM(SUMIFS(C1:C4,B1:B4,{"bed","table"}))', 80), ('SUM(COUNTIFS(B1:B4,{"bed","Bath"}))', 3), ('MATCH({"Bath"},B1:B4,0)', 2),
    ("SUM(INDEX(C1:C4,{1;2}))", 30), ('SUM(VLOOKUP("bed",B1:C4,{2,2},FALSE))', 20), ('SUM(SUMIFS(C1:C4,B1:B4,{"bed","bath"},C1:C4,{">5";">25"}))', 90),
    ('SUMPRODUCT(COUNTIF(B1:B4,B1:B4))', 6), ('COUNT(VLOOKUP({"bed","x"},B1:C4,2,FALSE))', 1), ("SUM(INDEX(A1:C3,{1,2},{1,3}))", 21),
    ('TEXT(1,"0.' + "0" * 300 + '")', VALUE),
]  # fmt: skip

CALLS = [
    ("FOO(1)", NAME), ("LEFT()", VALUE), ("ROUND(1)", VALUE), ("ROUND(1,2,3)", VALUE), ("_xlfn.SUM(1,2)", 3),
    ("sum(1,2)", 3), ("SUM(1,,2)", 3), ("SUMIFS(C1:C4,B1:B4)", VALUE),
]  # fmt: skip


@pytest.mark.parametrize(
    ("formula", "expected"),
    [*OPERATORS, *REFERENCES, *AGGREGATES, *CONDITIONS, *CRITERIA, *LOOKUPS, *TEXTS_AND_DATES, *BY_ELEMENT, *CALLS],
)
def test_value_of(formula, expected):
    names = {"rate": "0.2", "amounts": "S!$C$1:$C$4"}
    found = value(formula, CELLS, at="J9", names=names)
    if isinstance(expected, bool) or expected is None or isinstance(expected, str | CellError):
        assert found is expected or (found == expected and type(found) is type(expected))
    else:
        assert found == pytest.approx(expected, rel=1e-12)
        assert not isinstance(found, bool)


@pytest.mark.parametrize("name", sorted(functions()))
def test_examples_in_the_docstrings_hold(name):
    from tinquire.cells.display import show

    function = functions()[name]
    assert function.examples, f"{name} has no example"
    assert function.says, f"{name} says nothing"
    for formula, result in function.examples:
        assert show(value(formula)).text == result


@pytest.mark.parametrize(
    ("formula", "at", "expected"),
    [
        ("A1:A3", "Z2", 2),
        ("A1:A3", "Z9", VALUE),
        ("A1:C1", "B9", "bed"),
        ("A1:C1", "F9", VALUE),
        ("A1:C3", "B2", VALUE),
    ],
)
def test_a_range_where_one_value_belongs_meets_its_own_row_or_column(formula, at, expected):
    assert value(formula, CELLS, at=at) == expected


def test_in_array_formulas_ranges_are_arrays():
    assert value("SUM(A1:A3*C1:C3)", CELLS, arrays=True) == 140
    assert value('SUM((B1:B4="bed")*C1:C4)', CELLS, arrays=True) == 40
    assert value("SUM(A1:A3*C1:E1)", {**CELLS, "D1": 1.0, "E1": 2.0}, arrays=True) == 78
    assert value("SUM(A1:A3+{1;2})", CELLS, arrays=True) == NA


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("1+", "a value is missing at the end"), ("(1+2", "closing bracket ')'"), ("SUM(1,2", "closes SUM("),
        ("1 2", "an operator is missing before '2'"), ('"open', "closing quote"), ("[Pieces", "closing bracket ']'"),
        ("{1,A1}", "constants only"), ("{1,2;3}", "of one length"), ("1+*2", "a value is missing before '*'"),
        ("?", "'?' cannot stand here"), (")", "a value is missing before ')'"), ("$A$1048577", "beyond the grid"),
        ("[[a],[b],[c]]", "a first and a last"), ("(" * 200 + "1" + ")" * 200, "nested more than"),
        ("1+" * 5000 + "1", "characters, the most is"), ("", "a value is missing at the end"),
    ],
)  # fmt: skip
def test_what_cannot_be_read_says_why(text, expected):
    with pytest.raises(FormulaError) as caught:
        parse(text)
    assert expected in caught.value.expected
    assert caught.value.exit_code == 2


def test_long_sums_are_no_deep_trees():
    assert value("+".join(["1"] * 400)) == 400
    with pytest.raises(FormulaError, match="in a row"):
        parse("+".join(["1"] * 500))


def test_names_may_stand_for_names_but_not_for_themselves():
    assert value("a+1", names={"a": "b", "b": "c", "c": "41"}) == 42
    assert value("a", names={"a": "b", "b": "a"}) == NAME
    assert value("SUM(block)", CELLS, names={"block": span("S", "C1:C2")}) == 30
    assert value("fixed", names={"fixed": Scalar("x")}) == "x"


def test_keys_far_down_are_found():
    cells = column_of([float(n) for n in range(1, 501)]) | column_of([f"item {n}" for n in range(1, 501)], "B")
    assert value("VLOOKUP(499,A1:B500,2,FALSE)", cells) == "item 499"
    assert value('MATCH("ITEM 250",B:B,0)', cells) == 250
