"""The geometry of the ladder and of its strips: lengths are values, shares fill the strip, nothing stands on something else."""

import math
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tender_ledger.figures.ladder import ROW, SCALE_WIDTH, SCALE_X, STRIP_WIDTH, STRIP_X, WIDTH, Told, use_ladder
from tender_ledger.figures.strip import strip

COUNTS = st.lists(st.tuples(st.sampled_from(["food", "fuels", "", "medicines"]), st.integers(0, 50)), max_size=6)


@given(COUNTS)
def test_a_strip_is_filled_in_order_without_gaps(counts: list[tuple[str, int]]):
    shares = strip(counts, STRIP_WIDTH)
    total = sum(count for _, count in counts)
    assert [(one.code, one.count) for one in shares] == [(code, count) for code, count in counts if count]
    for one, after in pairwise(shares):
        assert one.x + one.width == pytest.approx(after.x, abs=0.11)
    for one in shares:
        assert one.width == pytest.approx(STRIP_WIDTH * one.count / total, abs=0.06)
    if shares:
        assert shares[0].x == 0
        assert shares[-1].x + shares[-1].width == pytest.approx(STRIP_WIDTH, abs=0.11)


@given(st.lists(st.integers(0, 4000).map(lambda count: count / 97), min_size=1, max_size=60))
def test_dots_stand_where_the_scale_says(values: list[float]):
    ladder = use_ladder([Told("Betula pendula", value, 5, [("food", 1)], rank=1) for value in values])
    (x0, zero), *rest = ladder.ticks
    assert (x0, zero) == (SCALE_X, 0)
    assert 1 <= len(rest) <= 5
    end_x, end = rest[-1]
    assert end_x == SCALE_X + SCALE_WIDTH
    assert end >= max(values)
    for rung, value in zip(ladder.rungs, values, strict=True):
        assert rung.x == pytest.approx(SCALE_X + SCALE_WIDTH * value / end, abs=0.06)
    ys = [rung.y for rung in ladder.rungs]
    assert all(after - y == pytest.approx(ROW) for y, after in pairwise(ys))
    assert ys[-1] < ladder.foot < ladder.height


@pytest.mark.parametrize(
    ("highest", "ticks"),
    [
        (2.78, [0, 1, 2, 3]),
        (0.97, [0, 0.2, 0.4, 0.6, 0.8, 1]),
        (37, [0, 10, 20, 30, 40]),
        (0, [0, 0.5, 1]),
    ],
)
def test_the_scale_ends_at_a_round_number(highest: float, ticks: list[float]):
    ladder = use_ladder([Told("Betula pendula", highest, 5, [], rank=1)])
    assert [value for _, value in ladder.ticks] == pytest.approx(ticks)


def test_those_apart_stand_below_the_ranked_and_undefined_values_have_no_dot():
    ladder = use_ladder([Told("a", 1.0, 9, [], 1), Told("b", math.nan, 9, [], 0), Told("c", 0.2, 2, [])])
    assert [one.taxon for one in ladder.rungs] == ["a"]
    assert [one.taxon for one in ladder.apart] == ["b", "c"]
    assert ladder.rungs[0].y < ladder.apart_y < ladder.apart[0].y < ladder.apart[1].y < ladder.height
    assert math.isnan(ladder.apart[0].x)


def test_nothing_told_gives_an_empty_ladder_that_can_be_drawn():
    ladder = use_ladder([])
    assert (ladder.rungs, ladder.apart) == ((), ())
    assert ladder.height > 0


def test_the_columns_do_not_stand_on_each_other():
    assert SCALE_X + SCALE_WIDTH < STRIP_X
    assert STRIP_X + STRIP_WIDTH < WIDTH
