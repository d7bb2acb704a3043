"""Looks that build on one another, colours, lines, and how wide columns must be."""

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tinquire.base.faults import UseError
from tinquire.cells.column import Column
from tinquire.looks import House, Look
from tinquire.looks.appearance import Edge, Edges
from tinquire.looks.fonts import STAND_IN, Letters, letters_of
from tinquire.looks.widths import NARROWEST, WIDEST, fitting_width, line_count

HOUSE = House(
    font="Corbel", size=9.0, currency="€", colours={"tin": "#8a979c", "ink": "27343A"}, formats={"money": "#,##0.00 ¤"},
    looks={
        "loud": Look(on="total", colour="tin", size=12.0), "louder": Look(on="loud", italic=True, bold=False),
        "round": Look(on="about"), "about": Look(on="round"), "lost": Look(on="nowhere"), "odd": Look(fill="mauve"),
    },
)  # fmt: skip


@pytest.mark.parametrize(
    ("look", "kind", "wanted"),
    [
        ("rows", "money", {"font": "Corbel", "size": 9.0, "bold": False, "format": '#,##0.00 "€"'}),
        ("loud", None, {"bold": True, "size": 12.0, "colour": "8A979C", "format": "General"}),
        ("louder", None, {"bold": False, "italic": True, "size": 12.0, "colour": "8A979C"}),
        ("heading", None, {"align": "center", "wrap": True}),
    ],
)
def test_looks_build_on_one_another(look, kind, wanted):
    found = HOUSE.appearance(look, kind)
    assert {name: getattr(found, name) for name in wanted} == wanted


@pytest.mark.parametrize(
    ("ask", "why"),
    [
        (lambda: HOUSE.look("round"), "round -> about -> round build on each other"),
        (lambda: HOUSE.look("lost"), "no look 'nowhere'"),
        (lambda: HOUSE.appearance("odd"), "'mauve'"),
        (lambda: HOUSE.colour("#12345"), "'#12345'"),
        (lambda: HOUSE.edge("wavy ink"), "'wavy' is not a line style"),
        (lambda: HOUSE.edge("thin mauve"), "'mauve'"),
    ],
)
def test_what_a_house_cannot_mean_is_said(ask, why):
    with pytest.raises(UseError, match=why.replace("(", r"\(")):
        ask()


def test_lines_are_a_style_and_a_colour():
    assert HOUSE.edge("thin ink") == Edge("thin", "27343A") and HOUSE.edge("double") == Edge("double", "000000")
    assert HOUSE.edge(None) is HOUSE.edge("none") is None
    over = Edges(top=Edge("thin", "111111")).over(Edges(top=Edge("thick", "222222"), left=Edge("hair", "333333")))
    assert (over.top, over.left) == (Edge("thin", "111111"), Edge("hair", "333333"))


@given(st.lists(st.text(max_size=80), max_size=5), st.text(max_size=40), st.booleans())
def test_widths_stay_within_bounds_and_fit(texts, heading, bold):
    width = fitting_width(texts, heading=heading, bold=bold)
    assert NARROWEST <= width <= WIDEST and width * 256 == int(width * 256)
    assert width == WIDEST or all(STAND_IN.width(text) <= width for text in texts)
    assert fitting_width([*texts, "W" * 20], heading=heading, bold=bold) >= width


@pytest.mark.parametrize(
    ("text", "width", "lines"), [("", 10, 1), ("Charge", 10, 1), ("Charge per piece", 10, 2), ("a " * 30, 10, 6)]
)
def test_headings_break_between_words(text, width, lines):
    assert abs(line_count(text, width) - lines) <= 1 and line_count(text, 60) <= line_count(text, width)


def test_the_longest_of_many_values_decides():
    from tinquire.looks import widths

    column = Column.from_values([*map(float, range(9_000)), "x" * 50, *("y" for _ in range(2_000)), 123456789.25])
    kept = getattr(widths, "widest_values", None) or widths.widest_values
    assert {"x" * 50, 123456789.25} <= set(kept(column).to_list())


def test_letters_are_as_wide_as_their_font_says():
    """Against the font's own tables; what a face lacks is as wide as the stand-in has it."""
    from fontTools.ttLib import TTFont
    from matplotlib import font_manager

    files = [
        font_manager.findfont(font_manager.FontProperties(family="DejaVu Sans", weight=weight))
        for weight in ("normal", "bold")
    ]
    letters = Letters.of_files(*map(Path, files))
    for bold, path in zip((False, True), files, strict=True):
        font = TTFont(path)
        names, metrics = font.getBestCmap(), font["hmtx"]
        advance = sum(metrics[names[ord(character)]][0] for character in "Depot WMil £")
        digit = TTFont(files[0])["hmtx"]["zero"][0]
        assert letters.width("Depot WMil £", bold=bold) == pytest.approx(advance / digit)
    assert letters.width("0" * 9) == pytest.approx(9) and letters.width("a\nlonger") == letters.width("longer")
    assert letters.width("\U0001f9fa") == STAND_IN.width("\U0001f9fa") and letters.digit == pytest.approx(
        0.636, abs=0.001
    )
    assert letters_of("No Such Face At All") is STAND_IN and letters_of("") is STAND_IN
    with pytest.raises(ValueError, match="cannot be read as a font"):
        Letters.of_files(Path(__file__), None)
