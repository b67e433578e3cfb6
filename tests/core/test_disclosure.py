"""Which cells are held back: the three rules one by one, and studies drawn at random set against what a reader could try."""

import random

import pytest

from tender_ledger.core.disclosure import CHANGED, COMPLEMENTARY, SMALL, Cells, Key, Release, Sum, suppress
from tender_ledger.core.publication import (
    NOWHERE,
    Publication,
    family_key,
    holders_key,
    linked_cells,
    publish,
    use_key,
)
from tests.core.disclosing import Row, audit

STUDIES = 150


def cell(*holders: int) -> dict[int, float]:
    return dict.fromkeys(holders, 1.0)


def hidden(cells: dict[Key, dict[int, float]], sums: list[Sum] = [], **more) -> dict[str, str]:  # noqa: B006
    found = suppress(Cells(cells, sums), protected=more.pop("protected", ()), **more)
    return {key[0]: reason for key, reason in found.hidden.items()}


def test_few_holders_hide_a_cell_and_so_do_few_who_let_no_rows_leave():
    cells = {("one",): cell(1), ("two",): cell(1, 2), ("three",): cell(1, 2, 3), ("sources",): cell()}
    assert hidden(cells) == {"one": SMALL, "two": SMALL}
    assert hidden(cells, minimum=4) == {"one": SMALL, "two": SMALL, "three": SMALL}
    assert hidden({("five",): cell(1, 2, 3, 4, 5)}, protected={4, 5}) == {"five": SMALL}
    assert hidden({("five",): cell(1, 2, 3, 4, 5)}, protected={3, 4, 5}) == {}
    with pytest.raises(ValueError, match="3 or more"):
        hidden(cells, minimum=2)


def test_what_could_be_had_by_subtraction_is_hidden_too_the_smallest_first():
    total, parts = ("total",), [("a",), ("b",), ("c",)]
    cells = {total: cell(*range(1, 11)), ("a",): cell(1, 2), ("b",): cell(3, 4, 5), ("c",): cell(6, 7, 8, 9, 10)}
    assert hidden(cells, [Sum(total, tuple(parts))]) == {"a": SMALL, "b": COMPLEMENTARY}
    small = {total: cell(1, 2, 3), ("a",): cell(1), ("b",): cell(2, 3)}
    assert hidden(small, [Sum(total, (("a",), ("b",)))]) == {"a": SMALL, "b": SMALL}  # three together
    alone = {total: cell(1, 2), ("a",): cell(1, 2)}
    assert hidden(alone, [Sum(total, (("a",),))]) == {"total": SMALL, "a": SMALL}


def test_a_hidden_total_hides_a_part_since_the_parts_would_give_it():
    cells = {("total",): cell(1, 2, 3, 4, 5, 6), ("a",): cell(1, 2, 3), ("b",): cell(4, 5, 6)}
    found = suppress(Cells(cells, [Sum(("total",), (("a",), ("b",)))]), protected=(), barred=[("total",)])
    assert {key[0] for key in found.hidden} == {"total", "a"}


def test_what_lies_between_two_shown_cells_is_no_few():
    cells = {("outer",): {1: 2.0, 2: 1.0, 3: 1.0}, ("inner",): cell(1, 2, 3)}  # one report of one holder lies between
    found = suppress(Cells(cells, (), [(("inner",), ("outer",))]), protected=())
    assert dict(found.hidden) == {("inner",): COMPLEMENTARY}


def test_a_cell_that_few_changed_since_it_left_stays_out_until_more_do():
    left = Release({("a",): cell(1, 2, 3)}, frozenset({("a",)}))
    assert hidden({("a",): cell(1, 2, 3)}, releases=[left]) == {}
    assert hidden({("a",): cell(1, 2, 3, 4)}, releases=[left]) == {"a": CHANGED}
    assert hidden({("a",): cell(1, 2, 4, 5)}, releases=[left]) == {}  # 3, 4 and 5 differ
    assert hidden({("a",): {1: 1.0, 2: 1.0, 3: 5.0}}, releases=[left]) == {"a": CHANGED}  # one told more
    erased = Release({("a",): cell(1, 2)}, frozenset({("a",)}), {("a",): 1})
    assert hidden({("a",): cell(1, 2, 6, 7)}, releases=[erased]) == {"a": CHANGED}  # rows tell what 6 and 7 brought
    assert hidden({("a",): cell(1, 2, 5, 6, 7)}, protected={5, 6, 7}, releases=[erased]) == {}


def test_what_was_held_back_comes_back_only_changed_by_enough():
    held = Release({("a",): cell(1, 2)}, frozenset())
    assert hidden({("a",): cell(1, 2, 3)}, releases=[held]) == {"a": CHANGED}
    assert hidden({("a",): cell(1, 2, 3, 4, 5)}, releases=[held]) == {}
    assert hidden({("a",): cell(1, 2, 3)}, releases=[Release({("a",): cell(1, 2, 3)}, frozenset())]) == {"a": COMPLEMENTARY}


def test_what_was_shown_before_as_it_is_now_protects_nothing():
    """The smallest part is known from before, so that another one is hidden beside the new small one."""
    total = ("total",)
    before = Release({("b",): cell(3, 4, 5)}, frozenset({("b",)}))
    cells = {total: cell(*range(1, 10)), ("a",): cell(1, 2), ("b",): cell(3, 4, 5), ("c",): cell(6, 7, 8, 9)}
    assert hidden(cells, [Sum(total, (("a",), ("b",), ("c",)))], releases=[before]) == {"a": SMALL, "c": COMPLEMENTARY}


def drawn(chance: random.Random) -> tuple[list[Row], set[int]]:
    """Reports of 4 to 20 holders on up to 7 taxa and 5 categories in up to 4 communities, and who lets no rows leave."""
    holders, taxa, uses, places = (chance.randint(*reach) for reach in ((4, 20), (1, 7), (1, 5), (1, 4)))
    where = {holder: f"C{chance.randrange(places)}" for holder in range(1, holders + 1)}
    family = {f"t{at}": f"F{chance.randrange(3)}" for at in range(taxa)}
    told: set[Row] = set()
    for holder, community in where.items():
        for _ in range(chance.randint(1, 8)):
            taxon, category = (
                f"{kind}{min(chance.randrange(number), chance.randrange(number))}" for kind, number in (("t", taxa), ("k", uses))
            )
            told.add((holder, taxon, family[taxon], category, community))
    share = chance.choice((0, 0.3, 0.7, 1))
    return sorted(told), {holder for holder in where if chance.random() < share}


def published(told: list[Row], protected: set[int], releases: list[Release] = []) -> Publication:  # noqa: B006
    """The publication of these rows, put together here and not by the code that reads a tally."""
    found: dict[Key, dict[int, float]] = {}
    for holder, taxon, family, category, community in told:
        for where in ("", community):
            for key in (
                use_key(taxon, category, where),
                use_key(taxon, "", where),
                use_key("", category, where),
                use_key("", "", where),
                family_key(family, where),
            ):
                own = found.setdefault(key, {})
                own[holder] = own.get(holder, 0.0) + 1
            found.setdefault(holders_key(where), {})[holder] = 1.0
    families = {row[1]: row[2] for row in told}
    return publish(linked_cells(found, families), protected=protected, releases=releases)


def test_no_pair_of_cells_of_a_random_study_tells_of_few():
    pairs = cells = held = spanned = 0
    for seed in range(STUDIES):
        told, protected = drawn(random.Random(seed))
        found = published(told, protected)
        result = audit(told, found.uses.shown, protected=protected)
        assert (result.small, result.differences) == ((), ()), seed
        pairs, cells, held = pairs + result.pairs, cells + result.cells, held + result.hidden
        spanned += bool(result.spanned)
    assert pairs > 10_000
    assert 0 < held < cells
    assert spanned <= STUDIES // 50  # a combination of many tables: rare, and said to be


def test_the_same_cells_in_another_order_hide_the_same():
    for seed in range(20):
        told, protected = drawn(random.Random(seed))
        shuffled = random.Random(seed).sample(told, len(told))
        assert published(told, protected).uses.hidden == published(shuffled, protected).uses.hidden


def test_a_study_that_grows_never_tells_of_few_from_file_to_file():
    compared = 0
    for seed in range(40):
        chance = random.Random(1000 + seed)
        told, protected = drawn(chance)
        releases: list[Release] = []
        for share in (0.4, 0.5, 0.8, 1.0):
            part = told[: int(len(told) * share)]
            found = published(part, protected, releases)
            for release in releases:
                for key in found.uses.shown & release.shown:
                    now, then = found.uses.cells.contributions[key], release.contributions[key]
                    differ = {one for one in {*now, *then} if now.get(one) != then.get(one)}
                    compared += 1
                    assert not differ or (len(differ) >= 3 and not 0 < len(differ & protected) < 3), (seed, key)
            releases.append(Release(found.uses.cells.contributions, found.uses.shown))
    assert compared > 100


def test_a_community_that_may_not_be_told_apart_shows_no_cell():
    told = [(holder, "t", "F", "k", "A") for holder in range(1, 8)] + [(9, "t", "F", "k", "B"), (10, "t", "F", "k", "B")]
    found = published(told, set())
    assert found.communities == frozenset()  # with A shown, B would be what is left
    assert found.uses.shown == {("use", *rest, "") for rest in (("t", "k"), ("t", ""), ("", "k"), ("", ""))} | {
        ("family", "F", "")
    }
    assert NOWHERE not in found.communities
