"""The name web: every use is a line from its name to its plant, and the order crosses fewer lines than the alphabet."""

from hypothesis import given
from hypothesis import strategies as st

from tender_ledger.figures.name_web import LEFT_X, RIGHT_X, Used, crossings, name_web, tangled

USES = st.lists(st.builds(Used, st.sampled_from("abcdefgh"), st.sampled_from("PQRSTU"), st.integers(0, 30)), max_size=25,
                unique_by=lambda one: (one.name, one.plant))  # fmt: skip


@given(USES)
def test_every_use_is_one_line_between_its_ends(used: list[Used]):
    web = name_web(used)
    assert sorted((tie.name, tie.plant, tie.times) for tie in web.ties) == sorted((one.key, one.plant, one.times) for one in used)
    name_y, plant_y = {one.key: one.y for one in web.names}, {one.key: one.y for one in web.plants}
    assert all((tie.y1, tie.y2) == (name_y[tie.name], plant_y[tie.plant]) for tie in web.ties)
    assert all(one.ties == sum(use.key == one.key for use in used) for one in web.names)
    for side in (web.names, web.plants):
        assert len({one.y for one in side}) == len(side)
        assert all(0 < one.y < web.height for one in side)
    assert LEFT_X < RIGHT_X


@given(USES)
def test_the_order_of_what_is_given_does_not_matter(used: list[Used]):
    assert name_web(used) == name_web(list(reversed(used)))


def test_lines_that_need_not_cross_do_not():
    pairs = [("a", "T"), ("b", "S"), ("c", "R"), ("d", "Q"), ("d", "P")]
    web = name_web([Used(name, plant, 1) for name, plant in pairs])
    assert crossings(web) == 0
    assert [one.key for one in web.plants if one.ties == 1][:1]


def test_a_thicker_line_was_told_more_often():
    web = name_web([Used("a", "P", 0), Used("a", "Q", 9), Used("b", "Q", 200)])
    widths = {(tie.name, tie.plant): tie.width for tie in web.ties}
    assert 0 < widths["a|", "P"] < widths["a|", "Q"] < widths["b|", "Q"] <= 6
    assert name_web([]).ties == ()


def test_only_what_is_of_several_is_tangled():
    one_to_one, two_plants = Used("a", "P", 1, "Onsic"), [Used("b", "Q", 1, "Onsic"), Used("b", "R", 1, "Onsic")]
    two_names = [Used("c", "S", 1, "Onsic"), Used("d", "S", 1, "Onsic")]
    two_languages = [Used("e", "T", 1, "Onsic"), Used("f", "T", 1, "Kelva"), Used("b", "U", 1, "Kelva")]
    assert tangled([one_to_one, *two_plants, *two_names, *two_languages]) == [*two_plants, *two_names]
