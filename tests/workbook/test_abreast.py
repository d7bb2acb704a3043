"""Work on pieces side by side: order, exceptions, and what is given up."""

import time

import pytest

from tinquire.base.parallel import map_in_order


@pytest.mark.parametrize("count", [0, 1, 2, 3, 40])
def test_results_come_in_the_order_of_the_items(count):
    def work(number):
        time.sleep(0.002 * (number % 3 == 0))
        return number * number

    assert list(map_in_order(work, range(count))) == [number * number for number in range(count)]


def test_an_exception_comes_where_its_result_would_have():
    seen = []
    with pytest.raises(ZeroDivisionError):
        seen.extend(map_in_order(lambda number: 1 / (5 - number), range(40)))
    assert seen == [1 / (5 - number) for number in range(5)]
    results = []
    with pytest.raises(KeyError):
        results.extend(map_in_order(str, (number if number < 7 else {}["none"] for number in range(40))))
    assert results == [str(number) for number in range(len(results))]
