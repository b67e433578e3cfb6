"""A list as it was said: its order, what stands twice, what the names may mean."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tender_ledger.core.freelists import KnownName, enter_list
from tender_ledger.core.freelists.entering import LONGEST
from tender_ledger.core.text import fold

KNOWN = [KnownName(1, "vitte"), KnownName(1, "white vitte"), KnownName(2, "nelva"), KnownName(3, "nelva"), KnownName(4, "ǫsen")]


def test_order_numbers_and_empty_lines():
    found = enter_list("1. vitte\n\n 2) Nelva ; osen\nunknown", KNOWN)
    assert [(one.position, one.name, one.plants) for one in found] == [
        (1, "vitte", (1,)), (2, "Nelva", (2, 3)), (3, "osen", (4,)), (4, "unknown", ()),
    ]  # fmt: skip


def test_the_same_again_is_flagged_by_its_spelling_or_by_its_one_plant():
    found = enter_list("vitte\nnelva\nVítte\nwhite vitte\nNELVA\nthing\nthing", KNOWN)
    assert [one.again for one in found] == [0, 0, 1, 1, 2, 0, 6]


def test_a_list_too_long_is_refused_whole():
    with pytest.raises(ValueError, match=str(LONGEST)):
        enter_list("\n".join(f"name {at}" for at in range(LONGEST + 1)), KNOWN)


@given(st.lists(st.text(alphabet="abcdé ǫ", min_size=1, max_size=6).filter(lambda name: name.strip()), max_size=30))
def test_every_name_keeps_its_place(names: list[str]):
    found = enter_list("\n".join(names), KNOWN)
    assert [one.name for one in found] == [name.strip() for name in names]
    assert [one.position for one in found] == list(range(1, len(names) + 1))
    first: dict[str, int] = {}
    for one in found:
        assert (one.again > 0) == (fold(one.name) in first)
        first.setdefault(fold(one.name), one.position)
