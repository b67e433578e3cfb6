"""Terms of consent: what is recorded, counted, shown and published, for everybody and at once."""

import json
from datetime import date, timedelta

import numpy as np
import pytest
from argon2 import Type
from cryptography.exceptions import InvalidTag

from tender_ledger.core.rules import CountingRules
from tender_ledger.core.terms import NotAllowed, Purpose, Scope
from tender_ledger.operations import accounts, people
from tender_ledger.operations.drafts import keep_draft
from tender_ledger.operations.errors import NotFound, Refused
from tender_ledger.operations.export import export_study
from tender_ledger.operations.names_key import NamesKey
from tender_ledger.operations.reckoning import reckon_study, reports_behind
from tender_ledger.operations.recording_choices import recording_choices
from tender_ledger.storage.database import rows, value
from tender_ledger.storage.queries import acts, encounters, plants, reports, studies
from tender_ledger.storage.queries import people as queries
from tests.conftest import KEY, USUAL_HASHER
from tests.factories import ALL, SmallStudy, latest_act, session_of

RULES = CountingRules()


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    return SmallStudy()


def counted(scope: Scope) -> tuple[int, int]:
    """N and the use reports."""
    r = reckon_study(scope, RULES).result
    return r.n, int(r.ur.sum())


def told_by(small: SmallStudy, code: str, **terms: bool) -> tuple[int, int]:
    """A holder with these terms tells of a new willow; encounter and report."""
    talk = small.encounter(small.holder(code, **terms), title=f"Talk with {code}")
    return talk, small.report(talk, code, small.plant("Salix caprea"), purpose=f"use of {code.lower()}", words=f"words of {code}")


def seen(scope: Scope) -> str:
    """Everything that the reads give a viewer, as one text."""
    found = [
        encounters.encounters(scope),
        queries.holders(scope),
        reports.reports(scope),
        reports.purposes(scope),
        reports.askings(scope),
        plants.plants(scope),
        [encounters.present(scope, one["id"]) for one in encounters.encounters(scope)],
        [recording_choices(scope, one) for one in encounters.encounters(scope)],
    ]
    return json.dumps(found, default=str, ensure_ascii=False)


def test_allowed_everything(small: SmallStudy):
    told_by(small, "XAN-01")
    assert counted(small.scope) == (1, 1)
    assert "words of XAN-01" in seen(small.person("reader"))


def test_without_an_agreement_recorded_and_seen_by_owner_and_recorder_and_counted_nowhere(small: SmallStudy):
    recorder, reader = small.person("recorder"), small.person("reader")
    talk = small.encounter(small.holder("XAN-01", agreed=False))
    small.report(talk, "XAN-01", small.plant("Salix caprea"), words="words of XAN-01", scope=small.scope)
    assert counted(small.scope) == (0, 0)
    assert "words of XAN-01" in seen(small.scope)
    for other in (recorder, reader):
        assert "XAN-01" not in seen(other)
    assert b"XAN-01" not in b"".join(export_study(small.scope).values())


def test_counted_and_not_shown(small: SmallStudy):
    """Too few are in no number at all; enough of them are, and nobody sees which of them told what."""
    told_by(small, "XAN-04")
    reader = small.person("reader")
    for number, code in enumerate(("XAN-01", "XAN-02", "XAN-03"), 1):
        told_by(small, code, may_show=False, may_publish_verbatim=False)
        counted_hidden = number if number >= studies.publishing_rule(small.scope)["minimum_holders"] else 0
        for viewer in (small.scope, reader):
            assert counted(viewer) == (1 + counted_hidden, 1 + counted_hidden)
            assert code not in seen(viewer).replace(f"Talk with {code}", "")
            assert f"use of {code.lower()}" not in seen(viewer)
            behind = reports_behind(viewer, RULES, taxon="Salix caprea")
            assert (behind.counted, behind.hidden, behind.number_is_said) == (1 + counted_hidden, counted_hidden, number == 3)
            assert [one["informant"] for one in behind.shown] == ["XAN-04"]
    assert counted_hidden == 3
    assert b"XAN-01" not in b"".join(export_study(small.scope).values())


def test_shown_and_not_counted_leaves_n_as_well(small: SmallStudy):
    told_by(small, "XAN-01", may_count=False)
    assert counted(small.scope) == (0, 0)
    assert "words of XAN-01" in seen(small.person("reader"))


def test_published_in_aggregate_and_not_word_for_word(small: SmallStudy):
    told_by(small, "XAN-01", may_publish_verbatim=False)
    told_by(small, "XAN-02", may_publish_aggregate=False, may_publish_verbatim=False)
    files = export_study(small.scope)
    assert b"XAN-01" in files["reports.csv"]
    assert b"words of" not in files["reports.csv"]
    assert b"XAN-02" not in b"".join(files.values())


def test_published_in_aggregate_is_not_row_by_row(small: SmallStudy):
    """Rows are of who lets rows leave; the others are in the counts alone. Older agreements say the first only."""
    willow = small.plant("Salix caprea")
    for number in range(6):
        code = f"XAN-{number}"
        small.report(small.encounter(small.holder(code, may_publish_rows=number < 3)), code, willow)
    files = {name: content.decode() for name, content in export_study(small.scope).items()}
    for name in ("reports.csv", "informants.csv"):
        assert [code for code in map("XAN-{}".format, range(6)) if code in files[name]] == ["XAN-0", "XAN-1", "XAN-2"], name
    assert "XAN-" not in files["counts.csv"]
    willow_counts = [line for line in files["counts.csv"].splitlines() if "Salix caprea,," in line]
    assert [line.split(",")[-1] for line in willow_counts if line.startswith(",")] == ["6"]


def test_a_withdrawal_seals_at_once_for_every_role_and_a_new_agreement_unseals(small: SmallStudy):
    talk, made = told_by(small, "XAN-01")
    small.agree("XAN-01", date(2026, 1, 3))
    viewers = [small.scope, *(small.person(role) for role in ("recorder", "reviewer", "reader"))]
    small.withdraw("XAN-01")
    for viewer in viewers:
        assert counted(viewer) == (0, 0)
        assert "XAN-01" not in seen(viewer)
        assert "words of" not in seen(viewer)
        assert reports.report(viewer, made) is None
        assert encounters.encounter(viewer, talk) is None
    assert b"XAN-01" not in b"".join(export_study(small.scope).values())
    (withheld,) = queries.withheld_holders(small.scope)
    assert (withheld["code"], withheld["sealed"], withheld["since"]) == ("XAN-01", True, date(2026, 2, 3))
    assert queries.withheld_holders(viewers[1]) == []
    small.agree("XAN-01", date(2026, 3, 4))
    assert counted(small.scope) == (1, 1)
    assert "words of XAN-01" in seen(viewers[-1])


def test_a_draft_of_what_a_sealed_holder_told_is_not_given_back(small: SmallStudy):
    small.encounter(small.holder("XAN-01"))
    keep_draft(small.scope, "encounter 1", {"informant": " xan-01", "words": "half a sentence"})
    assert reports.draft(small.scope, "encounter 1") is not None
    small.withdraw("XAN-01")
    assert reports.draft(small.scope, "encounter 1") is None


def until(small: SmallStudy, code: str, last: date, **terms: bool) -> None:
    """The holder's latest agreement, which stands to the end of `last`."""
    found = queries.holder(small.scope, code)
    assert found is not None
    people.record_agreement(small.scope, agreed_on=date(2026, 1, 3), form="oral", terms={**ALL, **terms},
                            holder_id=found["id"], expires_on=last)  # fmt: skip


def test_an_agreement_stands_to_the_end_of_its_last_day_and_then_is_as_if_none_were_on_file(small: SmallStudy):
    recorder, reader = small.person("recorder"), small.person("reader")
    told_by(small, "XAN-01")
    until(small, "XAN-01", date(2026, 6, 30))
    last, past = date(2026, 6, 30), date(2026, 7, 1)

    def on(viewer: Scope, day: date) -> Scope:
        return Scope(viewer.viewer, viewer.purpose, day)

    for viewer in (small.scope, recorder, reader):
        assert counted(on(viewer, last)) == (1, 1)
        assert "words of XAN-01" in seen(on(viewer, last))
        assert counted(on(viewer, past)) == (0, 0)
    assert "words of XAN-01" in seen(on(small.scope, past))  # the owner, who also wrote it
    for viewer in (recorder, reader):
        assert "XAN-01" not in seen(on(viewer, past)).replace("Talk with XAN-01", "")
    assert b"XAN-01" not in b"".join(export_study(on(small.scope, past)).values())
    found = queries.holder(on(small.scope, past), "XAN-01")
    assert found is not None
    assert (found["on_file"], found["may_record"], found["expired_on"]) == (False, True, last)


def test_an_earlier_agreement_does_not_come_back_when_the_latest_ends(small: SmallStudy):
    told_by(small, "XAN-01")  # agreed to everything for good on 2 January
    until(small, "XAN-01", date(2026, 2, 1), may_publish_verbatim=False)
    assert counted(small.scope) == (0, 0)


def test_what_was_refused_for_a_time_stays_refused(small: SmallStudy):
    holder = small.holder("XAN-01")
    until(small, "XAN-01", date(2026, 2, 1), **dict.fromkeys(ALL, False))
    with pytest.raises(Refused, match="not agreed to be recorded"):
        small.report(small.encounter(holder), "XAN-01", small.plant("Salix caprea"))


def test_a_community_whose_agreement_ended_allows_nothing_but_recording(small: SmallStudy):
    talk, _ = told_by(small, "XAN-01")
    people.record_agreement(small.scope, agreed_on=date(2026, 1, 3), form="written", terms=ALL,
                            community_id=small.community, expires_on=date(2026, 5, 1))  # fmt: skip
    assert counted(Scope(small.scope.viewer, Purpose.COUNTED, date(2026, 5, 1))) == (1, 1)
    assert counted(small.scope) == (0, 0)
    small.report(talk, "XAN-01", 1, category="medicines")
    assert b"XAN-01" not in b"".join(export_study(small.scope).values())


def test_a_withdrawn_agreement_stays_sealed_past_its_last_day(small: SmallStudy):
    told_by(small, "XAN-01")
    until(small, "XAN-01", date(2026, 5, 1))
    small.withdraw("XAN-01", date(2026, 4, 1))
    assert "XAN-01" not in seen(small.scope)


def test_an_agreement_cannot_end_before_it_was_given(small: SmallStudy):
    small.holder("XAN-01")
    with pytest.raises(Refused, match="cannot end before"):
        until(small, "XAN-01", date(2025, 12, 31))


def test_wishes_and_credit_are_kept_with_the_agreement_and_the_holder(small: SmallStudy):
    profile = {
        "credit": "pseudonym",
        "pseudonym": "The weaver",
        "learned_from": "her aunt",
        "occupation": "weaver",
        "years_in_place": "41",
    }
    holder_id = people.add_holder(small.scope, {"code": "XAN-01", "community_id": small.community, **profile})
    wishes = {"audience": "women", "archive": "the village hall", "reuse": "ask first", "after_death": "burn it", "minors": ""}
    people.record_agreement(small.scope, agreed_on=date(2026, 1, 3), form="oral",
                            terms={**ALL, "may_publish_verbatim": False, "may_credit": True},
                            holder_id=holder_id, wishes=wishes)  # fmt: skip
    (kept,) = queries.agreements(small.scope, holder_id=holder_id)
    assert {name: kept[name] for name in wishes} == wishes
    found = queries.holder(small.scope, "XAN-01")
    assert found is not None
    assert (found["may_credit"], found["pseudonym"], found["years_in_place"], found["occupation"]) == (
        True, "The weaver", 41, "weaver")  # fmt: skip
    with pytest.raises(Refused, match="pseudonym"):
        people.correct_holder(small.scope, holder_id, found["version"], {**found, "pseudonym": "", "birth": ""})


def test_an_agreement_stands_from_its_day_and_the_latest_can_narrow(small: SmallStudy):
    told_by(small, "XAN-01")
    small.agree("XAN-01", date(2026, 4, 1), may_count=False)
    before = Scope(small.scope.viewer, Purpose.COUNTED, date(2026, 3, 31))
    after = Scope(small.scope.viewer, Purpose.COUNTED, date(2026, 4, 1))
    too_early = Scope(small.scope.viewer, Purpose.COUNTED, date(2026, 1, 1))
    assert [counted(one)[0] for one in (too_early, before, after)] == [0, 1, 0]


def test_between_holder_and_community_the_stricter_wins(small: SmallStudy):
    told_by(small, "XAN-01")
    people.record_agreement(
        small.scope,
        agreed_on=date(2026, 1, 5),
        form="oral",
        community_id=small.community,
        terms={"may_record": True, "may_count": False, "may_show": True},
    )
    assert counted(small.scope) == (0, 0)
    assert "words of XAN-01" in seen(small.scope)
    assert b"XAN-01" not in export_study(small.scope)["reports.csv"]


def test_an_agreement_of_a_day_to_come_is_refused(small: SmallStudy):
    small.holder("XAN-01", agreed=False)
    with pytest.raises(Refused, match="cannot be of a day to come"):
        small.agree("XAN-01", small.scope.day + timedelta(days=1))


def test_a_holder_who_told_nothing_is_in_n_and_one_merely_present_is_not(small: SmallStudy):
    small.encounter(small.holder("XAN-01"))
    small.holder("XAN-02")
    assert counted(small.scope) == (1, 0)


def test_askings_make_the_value_of_those_asked(small: SmallStudy):
    # Phillips & Gentry 1993: two asked, one of them named two uses in one encounter: (2 + 0) / 2 = 1.
    number, talk = small.plant("Salix caprea"), small.encounter(small.holder("XAN-01"), small.holder("XAN-02"))
    small.report(talk, "XAN-01", number, purpose="tea")
    small.report(talk, "XAN-01", number, purpose="soup")
    small.asking(talk, "XAN-02", number)
    r = reckon_study(small.scope, RULES).result
    assert (r.uv_asked.tolist(), r.counts.n_asked.tolist(), r.askings_recorded) == ([1.0], [2], True)


def test_the_tally_is_the_same_for_every_member(small: SmallStudy):
    for code in ("XAN-01", "XAN-02", "XAN-03"):
        told_by(small, code, may_show=False, may_publish_verbatim=False)
    told_by(small, "XAN-04")
    values = [reckon_study(one, RULES).result for one in (small.scope, small.person("reader"))]
    np.testing.assert_array_equal(values[0].ci, values[1].ci)


def test_only_owners_and_reviewers_export(small: SmallStudy):
    assert set(export_study(small.person("reviewer"))) >= {"reports.csv", "informants.csv", "counts.csv", "notice.txt"}
    for role in ("recorder", "reader"):
        with pytest.raises(NotAllowed, match="owner or reviewer"):
            export_study(small.person(role))


def test_another_study_is_not_there(small: SmallStudy):
    other = SmallStudy()
    talk, made = told_by(other, "XAN-01")
    assert reports.report(small.scope, made) is None
    assert encounters.encounter(small.scope, talk) is None
    assert seen(small.scope) == seen(SmallStudy().scope)
    assert acts.act_changes(small.scope, latest_act(other.scope)) == []


# Names ---------------------------------------------------------------------------------------------------------------


def holder_id(small: SmallStudy, code: str) -> int:
    found = queries.holder(small.scope, code)
    assert found is not None
    return int(found["id"])


def test_a_real_name_is_encrypted_and_shown_for_a_reason_that_is_kept(small: SmallStudy):
    small.holder("XAN-01")
    people.set_real_name(small.scope, holder_id(small, "XAN-01"), "Ydra Moss", KEY)
    kept = rows("SELECT ciphertext, nonce FROM holder_identity")
    assert b"Ydra" not in bytes(kept[0]["ciphertext"])
    assert people.reveal_real_name(small.scope, "XAN-01", "to send her the booklet", KEY) == "Ydra Moss"
    assert rows("SELECT reason, person_id FROM disclosure") == [
        {"reason": "to send her the booklet", "person_id": small.scope.viewer.person_id}
    ]
    with pytest.raises(Refused, match="The reason is missing"):
        people.reveal_real_name(small.scope, "XAN-01", " ", KEY)
    with pytest.raises(NotAllowed):
        people.reveal_real_name(small.person("reviewer"), "XAN-01", "curious", KEY)
    assert "Ydra" not in seen(small.scope)
    assert value("SELECT count(*) FROM change WHERE before::text LIKE '%%Ydra%%' OR after::text LIKE '%%Ydra%%'") == 0


def test_how_to_reach_a_holder_is_kept_and_shown_with_the_name_alone(small: SmallStudy):
    small.holder("XAN-01")
    people.set_real_name(small.scope, holder_id(small, "XAN-01"), "Ydra\nMoss", KEY, "the blue door  by the well")
    assert people.reveal_real_name(small.scope, "XAN-01", "booklet", KEY) == "Ydra Moss\nthe blue door by the well"
    assert "blue door" not in seen(small.scope)
    assert b"blue door" not in bytes(rows("SELECT ciphertext FROM holder_identity")[0]["ciphertext"])


def test_a_name_belongs_to_its_holder_and_its_key(small: SmallStudy):
    small.holder("XAN-01")
    number = holder_id(small, "XAN-01")
    nonce, secret = KEY.encrypt("Ydra Moss", study_id=1, holder_id=number)
    with pytest.raises(InvalidTag):
        KEY.decrypt(nonce, secret, study_id=1, holder_id=number + 1)
    with pytest.raises(InvalidTag):
        NamesKey(b"j" * 32).decrypt(nonce, secret, study_id=1, holder_id=number)


def test_without_a_key_no_name_is_taken_or_shown(small: SmallStudy):
    small.holder("XAN-01")
    with pytest.raises(Refused, match="no key for names"):
        people.set_real_name(small.scope, holder_id(small, "XAN-01"), "Ydra Moss", None)
    assert NamesKey.from_environment({}) is None


def test_a_sealed_holders_name_is_not_shown(small: SmallStudy):
    told_by(small, "XAN-01")
    people.set_real_name(small.scope, holder_id(small, "XAN-01"), "Ydra Moss", KEY)
    small.withdraw("XAN-01")
    with pytest.raises(NotFound):
        people.reveal_real_name(small.scope, "XAN-01", "booklet", KEY)


# Signing in ----------------------------------------------------------------------------------------------------------


def attempt(small: SmallStudy, password: str, email: str = "", address: str = "10.0.0.1") -> str:
    return session_of(email or small.email, password, b"key", address)


def test_a_session_is_a_row_that_can_be_ended(small: SmallStudy):
    token = attempt(small, "a long test password", email=small.email.upper())
    person = accounts.signed_in(token)
    assert person is not None
    assert value("SELECT count(*) FROM person_session WHERE encode(token_sha256, 'escape') LIKE %(t)s", t=f"%{token}%") == 0
    accounts.end_session(person.id + 1, token=token)
    assert accounts.signed_in(token) is not None
    accounts.end_session(person.id, key=accounts.session_key(token))
    assert accounts.signed_in(token) is None


def test_wrong_password_and_unknown_address_are_answered_alike(small: SmallStudy):
    told = []
    for email in (small.email, "nobody@small.example"):
        with pytest.raises(Refused) as refused:
            attempt(small, "wrong", email=email)
        told.append(refused.value.errors)
    assert told[0] == told[1]
    assert value("SELECT password_hash FROM person LIMIT 1").startswith("$argon2id$")


def test_passwords_are_hashed_at_the_cost_that_is_recommended():
    """RFC 9106, section 4: the second recommended option, for where memory is scarce; the values from memory."""
    usual = (USUAL_HASHER.type, USUAL_HASHER.time_cost, USUAL_HASHER.memory_cost, USUAL_HASHER.parallelism)
    assert usual == (Type.ID, 3, 2**16, 4)
