"""Search over the demo study and a small one: every kind of thing, near spellings, and nothing that may not be seen."""

import json
import logging

import pytest

from tender_ledger.core.terms import Scope
from tender_ledger.operations.search import (
    COMMUNITY,
    ENCOUNTER,
    HOLDER,
    PLANT,
    PURPOSE,
    REPORT,
    SOURCE,
    Hit,
    search,
)
from tender_ledger.storage.database import rows
from tender_ledger.storage.masking import masked_for
from tests.conftest import OWNER, READER, SignedIn, scope_for
from tests.factories import SmallStudy


def hits(scope: Scope, text: str, kind: str, most: int = 50) -> list[Hit]:
    return [hit for group in search(scope, text, most=most) if group.kind == kind for hit in group.hits]


@pytest.mark.parametrize(
    ("text", "kind", "first"),
    [
        ("nelva", PLANT, ("nelva", "P-001")),
        ("nevla", PLANT, ("nelva", "P-001")),
        ("Sambucus nigra", PLANT, ("nelva", "P-001")),
        ("sambcus nigra", PLANT, ("nelva", "P-001")),
        ("P-003", PLANT, ("ok'un", "P-003")),
        ("3", PLANT, ("ok'un", "P-003")),
        ("ons-02", HOLDER, ("ONS-02", "Onsmere")),
        ("onsmere", COMMUNITY, ("Onsmere", "ONS")),
        ("onsmeer", COMMUNITY, ("Onsmere", "ONS")),
        ("cough", PURPOSE, ("cough", "medicines")),
        ("salt medow", ENCOUNTER, ("Walk over the salt meadow", "5 August 2026 · Kelvasund")),
        ("5 August 2026", ENCOUNTER, ("Walk over the salt meadow", "5 August 2026 · Kelvasund")),
    ],
)
def test_anything_is_found_by_what_it_is_called_or_numbered(demo_db: str, text: str, kind: str, first: tuple[str, str]):
    found = hits(scope_for(), text, kind)[0]
    assert (found.label.replace("’", "'"), found.detail) == first


def test_words_that_were_told_and_reports_by_their_number(demo_db: str):
    scope = scope_for()
    told = hits(scope, "stable with the pan", REPORT)
    assert told[0].label == "Twigs on the coals, and you walk through the stable with the pan."
    assert told[0].detail.startswith("P-003 · ")
    assert hits(scope, "stabel with teh pan", REPORT)[0].label == told[0].label
    (numbered,) = (hit for hit in hits(scope, "#5", REPORT) if hit.names == {"report": 5})
    assert numbered.label == "5"


def test_a_source_is_found_by_its_code_author_and_title(demo_db: str):
    first = rows("SELECT code::text AS code, csl->>'title' AS title FROM source ORDER BY id")[0]
    code, title = first["code"], first["title"]
    for text in (code, title, title.replace("e", "ee", 1)):
        assert hits(scope_for(), text, SOURCE)[0].names == {"code": code}, text


def test_the_nearest_kind_comes_first_and_each_says_how_many_there_are(demo_db: str):
    groups = search(scope_for(), "walk", most=2)
    assert [group.kind for group in groups][:1] == [ENCOUNTER]
    assert len(groups[0].hits) == 2
    assert groups[0].total > 2
    near = [group.hits[0].closeness for group in groups]
    assert near == sorted(near, reverse=True)


@pytest.mark.parametrize("text", ["", " ", "x", "%", "_", "%%%", "\\", "' OR 1=1 --", "\x00", "a" * 5_000, "ʔ" * 200])
def test_nothing_is_found_by_next_to_nothing_and_nothing_breaks(demo_db: str, text: str):
    assert search(scope_for(), text, most=5) == []


def test_what_the_viewer_may_not_see_is_not_found(empty_db: str):
    small = SmallStudy()
    seen, hidden = (
        small.holder("H-1"),
        small.holder("H-2", may_show=False, may_publish_aggregate=False, may_publish_rows=False, may_publish_verbatim=False),
    )
    talk = small.encounter(seen, title="By the brook")
    away = small.encounter(hidden, title="At the secret spring")
    willow = small.plant("Salix caprea", name="vesta")
    small.report(talk, "H-1", willow, purpose="tea", words="we drink it in spring")
    small.report(away, "H-2", willow, purpose="secret tea", words="a secret of the spring")
    reader = small.person("reader")
    with masked_for(reader):
        found = [
            (group.kind, hit.label)
            for text in ("H-2", "secret", "spring", "sprnig", "tea")
            for group in search(reader, text, most=9)
            for hit in group.hits
        ]
    assert found
    assert not [one for one in found if "secret" in one[1].lower() or one[1] == "H-2"]
    small.withdraw("H-1")
    with masked_for(reader):
        assert search(reader, "H-1", most=9) == []
        assert search(reader, "drink", most=9) == []


def test_what_is_looked_for_stands_in_no_log_and_no_address(sign_in: SignedIn, caplog: pytest.LogCaptureFixture):
    log = logging.getLogger("tender_ledger.requests")
    lines: list[str] = []
    handler = logging.Handler()
    handler.emit = lambda record: lines.append(record.getMessage())  # type: ignore[method-assign]
    log.addHandler(handler)
    try:
        page = sign_in(OWNER).post("/study/VELDRA/search", data={"q": "stabel with teh pan"})
    finally:
        log.removeHandler(handler)
    assert page.status_code == 200
    assert "walk through the stable" in page.text
    assert json.loads(lines[-1])["route"] == "search.find"
    assert not [line for line in lines if "stabel" in line]
    assert "stabel" not in sign_in(READER).get("/study/VELDRA/search").text
