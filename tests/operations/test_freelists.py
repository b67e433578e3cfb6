"""Free lists kept, taken back, and hidden and erased with whoever named them."""

import pytest

from tender_ledger.operations import freelists, people
from tender_ledger.operations.errors import CannotUndo, Refused
from tender_ledger.operations.history import undo_act
from tender_ledger.storage.database import rows, value
from tender_ledger.storage.queries import acts, plants
from tender_ledger.storage.queries import freelists as queries
from tests.factories import SmallStudy


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    return SmallStudy()


def lists(small: SmallStudy, viewer: object = None) -> list[list[tuple[int, str, int | None]]]:
    encounter = value("SELECT max(id) FROM encounter")
    found = queries.lists_of(viewer or small.scope, encounter)  # type: ignore[arg-type]
    return [[(one["position"], one["name"], one["plant"]) for one in each["items"]] for each in found]


def test_a_list_keeps_its_order_and_the_plants_it_means(small: SmallStudy):
    willow, other = small.plant("Salix caprea", name="vitte"), small.plant(name="nelva")
    teller = small.holder("X-01")
    talk = small.encounter(teller)
    small.plant(name="nelva")
    freelists.keep_list(small.scope, talk, informant="X-01", text="vitte\nnelva\nstrange\nnew one",
                        chosen={2: str(other), 4: freelists.NEW})  # fmt: skip
    assert lists(small) == [[(1, "vitte", willow), (2, "nelva", other), (3, "strange", None), (4, "new one", 4)]]
    told = {name["name"]: name["attested"] for plant in plants.plants(small.scope) for name in plant["names"]}
    assert told == {"vitte": 1, "nelva": 0, "new one": 1} or told == {"vitte": 1, "nelva": 1, "new one": 1}
    assert value("SELECT count(*) FROM attestation") == 3
    assert value("SELECT count(*) FROM use_report") == 0
    with pytest.raises(Refused, match="kept here already"):
        freelists.keep_list(small.scope, talk, informant="X-01", text="vitte")


def test_a_list_is_one_act_and_comes_and_goes_with_its_undo(small: SmallStudy):
    teller = small.holder("X-01")
    talk = small.encounter(teller)
    opened = acts.acts(small.scope, limit=1)[0]["id"]
    key = "00000000-0000-4000-8000-000000000001"
    made = freelists.keep_list(small.scope, talk, informant="X-01", text="a\nb", chosen={1: "+"}, client_key=key)
    assert freelists.keep_list(small.scope, talk, informant="X-01", text="a\nb", chosen={1: "+"}, client_key=key) == made
    kept = acts.acts(small.scope, limit=1)[0]
    assert (kept["operation"], kept["records"]) == ("keep_list", 4)  # the list, a plant, its name, its use
    with pytest.raises(CannotUndo, match="Other records"):
        undo_act(small.scope, opened)
    undo_act(small.scope, kept["id"])
    assert lists(small) == []
    assert plants.plants(small.scope) == []
    undo_act(small.scope, acts.acts(small.scope, limit=1)[0]["id"])
    assert lists(small) == [[(1, "a", 1), (2, "b", None)]]
    freelists.take_list_back(small.scope, made, 3)
    assert lists(small) == []
    assert len(plants.plants(small.scope)) == 1


def test_refusals_say_where_and_keep_nothing(small: SmallStudy):
    teller = small.holder("X-01")
    small.holder("X-02", may_record=False, may_count=False, may_show=False,
                                                        may_publish_aggregate=False, may_publish_verbatim=False)  # fmt: skip
    talk = small.encounter(teller)
    for informant, text, chosen, field in (
        ("X-02", "a", {}, "informant"), ("", "a", {}, "informant"), ("X-01", " \n ", {}, "text"),
        ("X-01", "a", {1: "77"}, "text"), ("X-01", "a", {1: "x"}, "text"),
    ):  # fmt: skip
        with pytest.raises(Refused) as refused:
            freelists.keep_list(small.scope, talk, informant=informant, text=text, chosen=chosen)
        assert list(refused.value.errors) == [field]
    assert value("SELECT count(*) FROM free_list") == 0


def test_a_list_is_hidden_and_erased_with_whoever_named_it(small: SmallStudy):
    shown, hidden = small.holder("X-01"), small.holder("X-02")
    talk = small.encounter(shown, hidden)
    reviewer = small.person("reviewer")
    freelists.keep_list(small.scope, talk, informant="x-01", text="open")
    freelists.keep_list(small.scope, talk, informant="X-02", text="secretly named", chosen={1: "+"})
    assert [one[0][1] for one in lists(small, reviewer)] == ["open", "secretly named"]
    small.withdraw("X-02")
    assert [one[0][1] for one in lists(small)] == ["open"]
    assert [one[0][1] for one in lists(small, reviewer)] == ["open"]
    assert "keep_list" in [one["operation"] for one in acts.acts(reviewer)]
    assert len([one for one in acts.acts(reviewer) if one["operation"] == "keep_list"]) == 1
    people.erase_holder(small.scope, "X-02", "X-02")
    left = rows("SELECT name FROM free_list_item UNION SELECT name FROM local_name UNION SELECT after::text FROM change")
    assert not any("secretly" in one["name"] for one in left)
    assert [one[0][1] for one in lists(small)] == ["open"]
