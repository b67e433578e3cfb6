"""Texts in which others named a holder who is sealed now: the code stands in none of them, whoever reads, wherever it stands."""

import uuid

import pytest
from flask import Flask

from tender_ledger.launch.installation import acting_scope
from tender_ledger.operations import encounters, full_reports, plants, reports, worklist
from tender_ledger.operations.export import export_study
from tender_ledger.operations.told_in_full import ToldInFull
from tender_ledger.operations.typed_report import TypedReport
from tender_ledger.storage.database import rows, value
from tender_ledger.storage.masking import FREE_TEXTS, MENTION, code_pattern, mask_nothing, masked_for, masked_text
from tender_ledger.storage.queries import reports as report_queries
from tender_ledger.storage.queries import told
from tender_ledger.web.app import create_app
from tests.conftest import settings
from tests.factories import PASSWORD, SmallStudy

CODE = "ZQX-77"


@pytest.fixture
def small(empty_db: str):
    """ZQX-77 is sealed; H-2's report, encounter, plant and worklist name them in the words of others."""
    made = SmallStudy()
    talks = {code: made.encounter(made.holder(code), title=f"With {code}") for code in (CODE, "H-2")}
    made.plant("Salix caprea")
    for code, note in (("H-2", f"as zqx-77 and {CODE}, not ZQX-770"), (CODE, "")):
        typed = TypedReport(informant=code, plant="P-001", category="food", purpose="soup", words=f"{CODE} told me", note=note)
        reports.record_report(made.scope, talks[code], typed, str(uuid.uuid4()))
    both = made.encounter(
        *(
            value("SELECT i.id FROM informant i JOIN holder h ON h.id = i.holder_id WHERE h.code = %(c)s", c=code)
            for code in (CODE, "H-2")
        ),
        title=f"{CODE} and a neighbour",
    )
    plants.correct_plant(made.scope, 1, value("SELECT version FROM plant"), habitat=f"behind the house of {CODE}")
    worklist.record_caution(
        made.scope, {"taxon": "Salix caprea", "kind": "dose_limit", "harm": "faint", "source": f"{CODE} says"}
    )
    for item in [item for one in worklist.read_worklist(made.scope) for item in one.items][:1]:
        worklist.set_item_aside(made.scope, item.rule, item.about, f"{CODE} knows better")
    assert both
    made.withdraw(CODE)
    yield made
    mask_nothing()


def ours(small: SmallStudy) -> int:
    return int(
        value("""SELECT r.id FROM use_report r JOIN informant i ON i.id = r.informant_id
        JOIN holder h ON h.id = i.holder_id WHERE h.code = 'H-2'""")
    )


@pytest.mark.parametrize("role", ["owner", "recorder", "reviewer", "reader"])
def test_no_page_shows_a_sealed_holders_code_but_those_on_which_owners_keep_the_terms(
    small: SmallStudy, empty_db: str, role: str
):
    email = small.email
    if role != "owner":
        person = small.person(role).viewer.person_id
        email = str(value("SELECT email FROM person WHERE id = %(p)s", p=person))
    app = create_app(settings(empty_db))
    app.config.update(TESTING=True, WTF_CSRF_ENABLED=False)
    client = app.test_client()
    client.post("/sign-in", data={"email": email, "password": PASSWORD})
    at = f"/study/{small.code}"
    seen = 0
    for page in pages(app, at, small):
        answer = client.get(page)
        if answer.status_code == 200 and not (role == "owner" and "/people" in page):
            text = answer.get_data(as_text=True).lower().replace("zqx-770", "")
            assert CODE.lower() not in text, page
            seen += MENTION in text
    assert seen >= 4  # there was something to mask


def pages(app: Flask, at: str, small: SmallStudy) -> list[str]:
    number = ours(small)
    tables = [one["entity"] for one in rows("SELECT DISTINCT entity FROM change WHERE entity <> 'membership' ORDER BY 1")]
    histories = [
        f"{at}/history/{entity}/{one['record_id']}"
        for entity in tables
        for one in rows("SELECT DISTINCT record_id FROM change WHERE entity = %(e)s", e=entity)
    ]
    named = (
        "", "people", "encounters", "encounters/2", "encounters/3", "plants", "plants/1", "plants/names", "reports",
        "reports?cols=plant,words,note", "worklist", "history", "reckoning", f"reports/{number}", f"reports/{number}/full",
        "reckoning?margin=ur:Salix%20caprea", "give-back/reports.csv",
    )  # fmt: skip
    return [*(f"{at}/{page}" for page in named), *histories]


def test_asking_for_the_code_finds_nothing_and_the_command_line_masks_too(small: SmallStudy, empty_db: str):
    files = export_study(acting_scope(small.code, small.email))
    text = files["reports.csv"].decode()
    assert MENTION in text
    assert CODE.lower() not in text.lower().replace("zqx-770", "")


def test_saving_a_text_as_it_was_shown_changes_nothing_and_a_new_agreement_shows_it_again(small: SmallStudy):
    number = ours(small)
    with masked_for(small.scope):
        found = report_queries.report(small.scope, number)
        assert found is not None
        assert found["note"] == f"as {MENTION} and {MENTION}, not ZQX-770"
        typed = TypedReport(
            informant="H-2",
            plant="P-001",
            category="food",
            purpose="soup",
            words=found["words"],
            note=found["note"],
            parts="leaf",
        )
        reports.correct_report(small.scope, number, found["version"], typed)
        seen = value("SELECT version FROM encounter WHERE number = 3")
        teller = value("SELECT informant_id FROM use_report WHERE id = %(r)s", r=number)
        talk = {"kind": "interview", "title": f"{MENTION} and a neighbour", "day": "4 May 2026", "community_id": small.community}
        encounters.correct_encounter(small.scope, 3, seen, talk, [(teller, "teller")])
    kept = rows("SELECT words, note FROM use_report WHERE id = %(r)s", r=number)
    assert kept == [{"words": f"{CODE} told me", "note": f"as zqx-77 and {CODE}, not ZQX-770"}]
    assert value("SELECT title FROM encounter WHERE number = 3") == f"{CODE} and a neighbour"
    small.agree(CODE, small.scope.day)
    with masked_for(small.scope):
        assert report_queries.report(small.scope, number)["note"] == kept[0]["note"]


def test_rows_told_beside_a_report_are_masked_and_stay_as_they_are(small: SmallStudy):
    number = ours(small)

    def save(lasts: str, words: str) -> None:
        version = value("SELECT version FROM use_report WHERE id = %(r)s", r=number)
        full = ToldInFull(rows={"steps": [{"words": words, "lasts": lasts}]})
        full_reports.complete_report(small.scope, number, version, full)

    save("", f"boiled as {CODE} does")
    with masked_for(small.scope):
        found = told.report_in_full(small.scope, number)
        assert found is not None
        assert found["steps"][0]["words"] == f"boiled as {MENTION} does"
        save("an hour", found["steps"][0]["words"])
    assert rows("SELECT lasts, words FROM report_step") == [{"lasts": "an hour", "words": f"boiled as {CODE} does"}]


def test_codes_are_found_as_whole_words_and_letters_alone_only_as_they_are_written():
    pattern = code_pattern(["ANNA", "K-1", "K-11"])
    assert pattern is not None
    told = "ANNA and Anna, k-1, K-11 and K-111, XK-1, K-1-2"
    assert pattern.sub("_", told) == "_ and Anna, _, _ and K-111, XK-1, K-1-2"
    assert code_pattern([]) is None
    assert masked_text("ANNA") == "ANNA"


def test_every_free_text_column_is_masked(empty_db: str):
    """What the erasing would take a code out of, the masking does too, but for what only the system or its owner writes."""
    found = rows("""SELECT DISTINCT c.column_name AS name FROM information_schema.columns c
        WHERE c.table_schema = 'public' AND c.data_type = 'text' AND c.domain_name IS DISTINCT FROM 'code' AND EXISTS (
            SELECT FROM information_schema.columns s WHERE s.table_name = c.table_name AND s.column_name = 'study_id')""")
    own = {
        "abbreviation", "about", "actor", "answers", "authorship", "basis", "browser", "bytes", "cause",
        "cell", "character", "chosen", "citation", "cited", "code", "collector", "confidence",
        "credit", "currency", "digest", "duplicates", "edition", "entity", "families",
        "file_sha256", "fingerprint", "form", "gender", "growth_form", "harvest_effect",
        "herbarium", "key_id", "kind", "label_fold", "management", "meant_for", "media_type",
        "mended_key", "name_fold", "number", "number_text", "operation", "origin", "part",
        "password_hash", "place_digest", "pseudonym", "qualifier", "questions", "refuses", "role",
        "row_key", "rule", "scheme", "sha256", "sight", "software", "state", "taxon", "told", "unit", "url",
        "version", "vocabulary", "way", "withdrawal",
    }  # fmt: skip
    assert {one["name"] for one in found} - FREE_TEXTS - own == set()
