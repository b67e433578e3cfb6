"""The figures of the reckoning: marks stand where their values say, and nothing leaves the sheet."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tender_ledger.figures.drawing import Drawing, scale
from tender_ledger.figures.plots import (
    Curve,
    Family,
    InGroup,
    Person,
    bars,
    by_group,
    by_measure,
    families_of_a_flora,
    listening_curve,
    named_by,
    plane,
    tree,
)

WORDS = {"title": "t", "says": "s", "x": "x", "y": "y"}
VALUES = st.lists(st.floats(0, 5000, allow_nan=False), min_size=1, max_size=30)


def inside(drawing: Drawing) -> bool:
    """Whether every circle and rectangle lies on the sheet."""
    for mark in drawing.marks:
        if mark.kind == "circle" and not (0 <= mark.at[0] <= drawing.width and 0 <= mark.at[1] <= drawing.height):
            return False
        if mark.kind == "rect" and (mark.at[0] < 0 or mark.at[0] + mark.at[2] > drawing.width + 0.2):
            return False
    return True


@given(st.floats(-1000, 1000), st.floats(0, 1000))
def test_a_scale_holds_its_ends_and_has_round_ticks(low: float, width: float):
    one = scale(low, low + width, 10, 110)
    assert one.low <= low + 1e-6
    assert one.high >= low + width - 1e-6
    assert 1 <= len(one.ticks) <= 9
    assert one(one.low) == pytest.approx(10)
    assert one(one.high) == pytest.approx(110)


@given(VALUES)
def test_a_curve_ends_at_what_was_heard(values: list[float]):
    high = [value + 1.96 for value in values]
    drawing = listening_curve(Curve("plants", range(1, len(values) + 1), values, [*values[:-1], None], high), WORDS)
    (dot,) = [mark for mark in drawing.marks if mark.kind == "circle"]
    assert inside(drawing)
    top = max(value + 1.96 for value in values)
    assert dot.at[1] == pytest.approx(scale(0, top, 300, 30)(values[-1]), abs=0.06)


@given(VALUES)
def test_bars_are_as_long_as_their_values(values: list[float]):
    drawing = bars([(f"item {at}", value, "") for at, value in enumerate(values)], WORDS)
    lengths = [mark.at[2] for mark in drawing.marks if mark.kind == "rect"]
    assert inside(drawing)
    longest = max(values)
    for value, length in zip(values, lengths, strict=True):
        if longest and length > 1:
            assert length / max(lengths) == pytest.approx(value / longest, abs=0.01)


@given(st.lists(st.tuples(st.floats(-1, 1), st.floats(-1, 1)), min_size=1, max_size=12))
def test_a_plane_takes_both_axes_by_one_measure(points: list[tuple[float, float]]):
    drawing = plane([f"G{at}" for at in range(len(points))], points, WORDS)
    dots = [mark.at for mark in drawing.marks if mark.kind == "circle"]
    assert inside(drawing)
    (x0, y0, _), (u0, v0) = dots[0], points[0]
    for (x, y, _), (u, v) in zip(dots, points, strict=True):
        assert (x - x0) * (v - v0) == pytest.approx(-(y - y0) * (u - u0), abs=0.5)


def test_a_tree_joins_at_its_heights():
    drawing = tree(["A", "B", "C"], [[0, 1, 0.2, 2], [2, 3, 0.4, 3]], [2, 0, 1], WORDS, ["/a", "/b", "/c"], ["/ab", "/all"])
    assert [mark.link for mark in drawing.marks if mark.link] == ["/c", "/a", "/b", "/ab", "/all"]
    labels = [mark.text for mark in drawing.marks if mark.look == "place"]
    assert labels == ["C", "A", "B"]
    joins = sorted({mark.at[0] for mark in drawing.marks if mark.look == "branch" and mark.at[0] == mark.at[2]})
    assert len(joins) == 2
    assert (380 - joins[0]) == pytest.approx(2 * (380 - joins[1]), abs=0.5)


def test_people_families_and_the_matrix():
    people = [Person("H-1", 40, 10, "/h"), Person("H-2", 80, 30)]
    drawing = by_measure(people, WORDS)
    assert [mark.link for mark in drawing.marks if mark.kind == "circle"] == ["/h", ""]
    assert inside(drawing)
    found = families_of_a_flora([Family("A", 60, 0, "no"), Family("B", 20, 9, "over")], (0.05, 0.2), (0.1, 1.0), WORDS)
    assert [mark.text for mark in found.marks if mark.look.startswith("place")] == ["A", "B"]
    assert inside(found)
    cells = named_by(
        ["H-1", "H-2"], ["Salix caprea", "Tilia cordata"], [[0, 1], [1]], WORDS, lambda code, taxon: f"/{code}/{taxon}"
    )
    assert [mark.says for mark in cells.marks if mark.kind == "rect"] == [
        "H-1: Salix caprea", "H-1: Tilia cordata", "H-2: Tilia cordata"]  # fmt: skip
    assert [mark.link for mark in cells.marks] == [
        "/H-1/", "/H-2/", "//Salix caprea", "//Tilia cordata", "/H-1/Salix caprea", "/H-1/Tilia cordata",
        "/H-2/Tilia cordata"]  # fmt: skip


def test_groups_show_their_holders_and_quartiles():
    people = [Person(f"H-{at}", 0, value, f"/h/{at}") for at, value in enumerate((4, 4, 9))]
    drawing = by_group([InGroup("women", people, (4, 4, 6.5), "/w"), InGroup("men", [], (1, 2, 3))], WORDS)
    assert inside(drawing)
    dots = [mark for mark in drawing.marks if mark.kind == "circle"]
    assert [mark.link for mark in dots] == ["/h/0", "/h/1", "/h/2"]
    assert dots[0].at[1] == dots[1].at[1] > dots[2].at[1]
    assert dots[0].at[0] != dots[1].at[0]  # equals stand beside one another
    bands = [mark for mark in drawing.marks if mark.look == "band"]
    assert [mark.link for mark in bands] == ["/w", ""]
    assert bands[0].says == "women: 4, 4, 6.5"


def test_counts_stand_whole_beside_their_bars():
    drawing = bars([("3", 2, "/x"), ("8", 1, "")], WORDS, whole=True)
    assert [mark.text for mark in drawing.marks if mark.look == "code-left"] == ["2", "1"]
    assert [mark.text for mark in bars([("3", 2, "")], WORDS).marks if mark.look == "code-left"] == ["2.000"]
