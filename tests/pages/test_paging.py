"""Lines cut into pages: plain arithmetic, by tables and by properties."""

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tinquire.pages.paging import Cut, Repeated, Span, cut_lines, fitting_scale

CUTS = [
    # what it shows, sizes, room, breaks, kept together, repeated, the pages
    ("all on one", [10, 10, 10], 30, (), (), None, [(1, 3)]),
    ("as many as fit", [10, 10, 10, 10, 10], 25, (), (), None, [(1, 2), (3, 4), (5, 5)]),
    ("a line that is larger than a page", [10, 90, 10], 30, (), (), None, [(1, 1), (2, 2), (3, 3)]),
    ("a break by hand", [10, 10, 10, 10], 100, (2,), (), None, [(1, 2), (3, 4)]),
    ("a break after the last line", [10, 10], 100, (2,), (), None, [(1, 2)]),
    ("a break before what is printed", [10, 10], 100, (0,), (), None, [(1, 2)]),
    ("hidden lines take no room", [10, 0, 0, 10, 10], 20, (), (), None, [(1, 4), (5, 5)]),
    ("a page of hidden lines is left out", [10, 0, 0, 10], 100, (1, 3), (), None, [(1, 1), (4, 4)]),
    ("nothing that shows is one page", [0, 0], 100, (), (), None, [(1, 2)]),
    ("what belongs together", [10, 10, 10, 10], 25, (), (2,), None, [(1, 1), (2, 3), (4, 4)]),
    ("what belongs together and is too large", [10, 10, 10, 10], 25, (), (1, 2, 3), None, [(1, 2), (3, 4)]),
    ("a break by hand parts what belongs together", [10, 10, 10], 100, (2,), (2,), None, [(1, 2), (3, 3)]),
    ("repeated lines take room on later pages", [10, 10, 10, 10, 10], 30, (), (), (1, 1, 10), [(1, 3), (4, 5, True)]),
    (
        "repeated lines that are further down",
        [10] * 6,
        20,
        (),
        (),
        (3, 3, 10),
        [(1, 2), (3, 4), (5, 5, True), (6, 6, True)],
    ),
    ("repeated lines that leave no room", [10, 10, 10], 20, (), (), (1, 2, 25), [(1, 2), (3, 3)]),
    ("sums of thirds", [0.1] * 30, 3.0, (), (), None, [(1, 30)]),
]


@pytest.mark.parametrize(
    ("sizes", "room", "breaks", "kept", "repeated", "pages"), [one[1:] for one in CUTS], ids=[one[0] for one in CUTS]
)
def test_lines_are_cut(sizes, room, breaks, kept, repeated, pages):
    cut = Cut(1, sizes, breaks, kept, None if repeated is None else Repeated(*repeated))
    assert cut_lines(cut, room) == [Span(*page) for page in pages]


SIZES = st.lists(st.one_of(st.just(0.0), st.floats(1, 60)), min_size=1, max_size=60)


@given(SIZES, st.floats(20, 200), st.sets(st.integers(5, 66)), st.sets(st.integers(5, 66)), st.booleans())
def test_every_line_is_on_one_page_in_order(sizes, room, breaks, kept, repeats):
    first = 5
    repeated = Repeated(5, 6, sum(sizes[:2])) if repeats else None
    spans = cut_lines(Cut(first, sizes, breaks, kept, repeated), room)
    on_pages = [line for span in spans for line in range(span.first, span.last + 1)]
    shown = [first + place for place, size in enumerate(sizes) if size]
    assert on_pages == sorted(set(on_pages))
    assert [line for line in on_pages if sizes[line - first]] == shown
    for span in spans:
        own = sizes[span.first - first : span.last + 1 - first]
        head = repeated.size if span.repeats and repeated is not None else 0.0
        alone = sum(size > 0 for size in own) == 1
        assert sum(own) + head <= room + 0.02 or alone
        assert not span.repeats or (repeated is not None and span.first > repeated.last)
        assert all(line not in breaks for line in range(span.first, span.last) if any(sizes[line + 1 - first :]))


@given(SIZES, st.floats(20, 200))
def test_a_page_takes_all_that_fits(sizes, room):
    """Without breaks and what is kept, the next line that shows would not have fitted."""
    spans = cut_lines(Cut(1, sizes), room)
    for span, after in pairwise(spans):
        own = sum(sizes[span.first - 1 : span.last])
        following = next(size for size in sizes[after.first - 1 :] if size)
        assert own + following > room - 0.02


FITS = [
    # pages across and down at full scale, wanted, the scale
    ((1, 1), (1, 1), 100),
    ((2, 1), (1, 1), 50),
    ((1, 4), (1, 0), 100),
    ((1, 4), (1, 1), 25),
    ((3, 3), (1, 0), 33),
    ((40, 1), (1, 1), 10),
    ((2, 6), (2, 3), 50),
]


@pytest.mark.parametrize(("whole", "wanted", "scale"), FITS)
def test_the_largest_scale_that_fits(whole, wanted, scale):
    """A sheet of so many pages at full size, which become fewer as it shrinks."""

    def pages(share):
        return tuple(max(1, -int(-count * share // 1)) for count in whole)

    assert fitting_scale(pages, *wanted) == scale
