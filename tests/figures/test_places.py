"""The map of places: distances to scale, every dot inside, nothing torn apart at the 180th meridian."""

import math

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from tender_ledger.figures.places import Place, PlaceMap, place_map

LATITUDES, LONGITUDES = st.floats(-80, 80), st.floats(-180, 180)
SPOTS = st.lists(st.tuples(LATITUDES, LONGITUDES), min_size=1, max_size=12)


def drawn(*spots: tuple[float, float]) -> PlaceMap:
    found = place_map([Place(f"K{at:02}", f"Place {at}", *spot) for at, spot in enumerate(spots)])
    assert found is not None
    return found


def haversine(one: tuple[float, float], other: tuple[float, float]) -> float:
    """Kilometres on a sphere of 6371.009 km (Sinnott 1984, Virtues of the haversine, Sky and Telescope 68: 159)."""
    (a, b), (c, d) = (map(math.radians, spot) for spot in (one, other))
    h = math.sin((c - a) / 2) ** 2 + math.cos(a) * math.cos(c) * math.sin((d - b) / 2) ** 2
    return 2 * 6371.009 * math.asin(math.sqrt(h))


@given(st.floats(-65, 65), st.floats(-178, 178), st.floats(-1, 1), st.floats(-1, 1))
def test_distances_are_those_of_the_great_circle(latitude: float, longitude: float, north: float, east: float):
    assume(abs(north) + abs(east) > 0.1)
    one, other = (latitude, longitude), (latitude + north, longitude + east)
    figure = drawn(one, other)
    (a, b) = figure.dots
    pixels = math.hypot(a.x - b.x, a.y - b.y)
    assert pixels / figure.bar * figure.bar_km == pytest.approx(haversine(one, other), rel=0.01)


@given(SPOTS)
def test_every_dot_lies_inside_and_north_is_up(spots: list[tuple[float, float]]):
    figure = drawn(*spots)
    for dot, (latitude, _longitude) in zip(figure.dots, spots, strict=True):
        assert 0 < dot.x < figure.width
        assert 0 < dot.y < figure.height
        assert all(dot.y >= other.y - 0.11 for other, (north, _e) in zip(figure.dots, spots, strict=True) if north > latitude)
    assert 0 < figure.bar <= figure.width / 4 + 0.1


@given(SPOTS)
def test_the_grid_says_where_a_dot_lies(spots: list[tuple[float, float]]):
    figure = drawn(*spots)
    marks = [(y, float(label.split("°")[0]) * (-1 if label.endswith("S") else 1)) for y, label in figure.parallels]
    assert len(marks) >= 2
    (y1, first), (y2, second) = marks[0], marks[-1]
    for dot, (latitude, _longitude) in zip(figure.dots, spots, strict=True):
        read = first + (dot.y - y1) / (y2 - y1) * (second - first)
        assert read == pytest.approx(latitude, abs=0.02 * abs(second - first) + 1e-6)


def test_a_study_across_the_180th_meridian_is_drawn_together():
    figure = drawn((-17.0, 179.5), (-17.2, -179.6))
    assert figure.dots[0].x < figure.dots[1].x
    assert haversine((-17.0, 179.5), (-17.2, -179.6)) < 110
    assert {label[-1] for _x, label in figure.meridians} >= {"E", "W"}
    assert figure.bar_km >= 10


def test_a_place_is_tied_to_what_it_lies_within():
    figure = place_map(
        [Place("A", "Hamlet", 10.0, 10.0, within="B"), Place("B", "Village", 10.1, 10.2), Place("C", "Far", 11, 10, "Z")]
    )
    assert figure is not None
    a, b, _c = figure.dots
    assert figure.lines == ((a.x, a.y, b.x, b.y),)


def test_labels_do_not_cover_each_other_where_there_is_room():
    figure = drawn((47.9, -31.0), (47.9, -30.99), (47.2, -30.2))
    near, beside, _far = figure.dots
    assert {near.anchor, beside.anchor} == {"start", "end"}
    assert abs(near.label_x - beside.label_x) > 15


def test_no_places_are_no_map():
    assert place_map([]) is None
