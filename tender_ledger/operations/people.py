"""Communities, holders with their protected names, and agreements."""

import re
from collections.abc import Mapping, Sequence
from contextlib import suppress
from datetime import date
from typing import Any

from tender_ledger.core.limits import check_lengths
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean, whole_number
from tender_ledger.formats.languages import is_private, language_of
from tender_ledger.operations import clock, long_work
from tender_ledger.operations.errors import NotFound, Refused, code_of, constraints_as_refusals, degrees_of, number_of, required
from tender_ledger.operations.names_key import NamesKey
from tender_ledger.operations.saving import made_once, saving
from tender_ledger.storage.database import UNAVAILABLE, database
from tender_ledger.storage.erasing import erase_holder_rows, keep_erasure, overwrite_deleted
from tender_ledger.storage.history import act
from tender_ledger.storage.models import (
    Community,
    Consent,
    Dialect,
    Disclosure,
    Holder,
    HolderIdentity,
    Informant,
    Language,
)
from tender_ledger.storage.queries import people, plants, results, studies
from tender_ledger.storage.queries.erasures import installation_id, remember_erasures
from tender_ledger.storage.queue import take_back

_FIELD_NUMBER = re.compile(r"(?:P-?)?0*([1-9]\d{0,8})$", re.I)
_BIRTH = re.compile(r"(?P<year>\d{4})$|(?P<decade>\d{3}0)s$")


def add_language(scope: Scope, *, code: str, name: str = "") -> int:
    """Add a language of the study by its three letters of ISO 639-3, under its name there or the one given.

    qaa to qtz are for private use: they name what has no code, and need a name.
    """
    scope.viewer.require(Right.ADMINISTER)
    code, name = clean(code).lower(), clean(name)
    known = language_of(code)
    if known is None and not is_private(code):
        raise Refused({"code": f"ISO 639-3 has no language “{code}”. Find the code by a name of the language, or take one of "
                               "qaa to qtz for a language without a code."})  # fmt: skip
    with constraints_as_refusals(), act(scope.viewer, "add_language") as writing:
        return writing.create(
            Language, {"code": code, "name": name or (known.name if known else required(name, "name", "The name"))}
        )


def add_dialect(scope: Scope, *, language_id: int | str, name: str) -> int:
    """Add a way of speaking one of the study's languages."""
    scope.viewer.require(Right.ADMINISTER)
    values = {"language_id": number_of(language_id, "language_id", "Choose the language it is a dialect of."),
              "name": required(name, "name", "The name")}  # fmt: skip
    with constraints_as_refusals(), act(scope.viewer, "add_dialect") as writing:
        return writing.create(Dialect, values)


def add_community(scope: Scope, **values: Any) -> int:
    """Add a community: code, name, place, languages and dialects (their ids), the community it lies within (parent_id),
    protocol (how the team behaves there) and, where it may be told, latitude and longitude in degrees."""
    scope.viewer.require(Right.ADMINISTER)
    record = {"code": code_of(values.get("code", "")), **_community(values)}
    with constraints_as_refusals(), act(scope.viewer, "add_community") as writing:
        return writing.create(Community, record, children=_spoken(values))


def correct_community(scope: Scope, community_id: int, version: int, **values: Any) -> None:
    """Correct everything of a community but its code."""
    scope.viewer.require(Right.ADMINISTER)
    record = _community(values)
    if record["parent_id"] is not None and people.lies_within(scope, record["parent_id"], community_id):
        raise Refused({"parent_id": "That community lies within this one, or is this one. Choose another, or none."})
    with saving(scope, "correct_community") as writing:
        writing.update(Community, community_id, version, record, children=_spoken(values))


def _community(values: Mapping[str, Any]) -> dict[str, Any]:
    return {
        "name": required(values.get("name"), "name", "The name"),
        "place": clean(values.get("place")),
        "latitude": degrees_of(values.get("latitude"), "latitude"),
        "longitude": degrees_of(values.get("longitude"), "longitude"),
        "parent_id": number_of(values["parent_id"], "parent_id", "Choose a community of the study, or none.")
        if values.get("parent_id") else None,
        "protocol": clean(values.get("protocol")),
    }  # fmt: skip


def _spoken(values: Mapping[str, Any]) -> dict[str, list[dict[str, Any]]]:
    return {
        name: [{column: number_of(one, name, f"Choose {name} of the study.")} for one in values.get(name, ())]
        for name, column in (("languages", "language_id"), ("dialects", "dialect_id"))
    }


def add_holder(scope: Scope, values: Mapping[str, Any], *, client_key: str | None = None) -> int:
    """Add a knowledge-holder by code: code, community_id, gender, birth (`1956` or `1950s` or empty), chosen, credit
    (named, pseudonym, anonymous) with the pseudonym, learned_from, occupation,
    years_in_place."""
    scope.viewer.require(Right.RECORD)
    record = {**_profile(values), "code": code_of(values.get("code", "")), "recorded_by": scope.viewer.person_id,
              "client_key": client_key}  # fmt: skip

    def make() -> int:
        with constraints_as_refusals(), act(scope.viewer, "add_holder") as writing:
            holder_id = writing.create(Holder, record)
            Informant.insert(study_id=scope.study_id, holder_id=holder_id).execute()
            return holder_id

    return made_once(scope, "holder", client_key, make)


def correct_holder(scope: Scope, holder_id: int, version: int, values: Mapping[str, Any]) -> None:
    """Correct a holder's profile; the code stays."""
    scope.viewer.require(Right.RECORD)
    with saving(scope, "correct_holder") as writing:
        writing.update(Holder, holder_id, version, _profile(values), holder_id=holder_id)


def _profile(values: Mapping[str, Any]) -> dict[str, Any]:
    birth = clean(values.get("birth"))
    read = _BIRTH.match(birth)
    if birth and not read:
        raise Refused({"birth": f"“{birth}” is no year or decade. Write 1956 or 1950s, or leave it open."})
    return {
        "community_id": number_of(values.get("community_id"), "community_id", "Choose the community the holder belongs to."),
        "gender": values.get("gender") or "unstated",
        "chosen": values.get("chosen") or "unstated",
        "birth_year": int(read["year"]) if read and read["year"] else None,
        "birth_decade": int(read["decade"]) if read and read["decade"] else None,
        "credit": values.get("credit") or "anonymous",
        "pseudonym": clean(values.get("pseudonym")),
        "learned_from": clean(values.get("learned_from")),
        "occupation": clean(values.get("occupation")),
        "years_in_place": _years(values.get("years_in_place")),
    }


def _years(value: str | int | None) -> int | None:
    text = clean(str(value if value is not None else ""))
    if not text:
        return None
    years = whole_number(text, 9_999)
    if years is None:
        raise Refused({"years_in_place": f"“{text}” is no number of years. Write 30, or leave it open."})
    return years


def set_real_name(scope: Scope, holder_id: int, name: str, key: NamesKey | None, contact: str = "") -> None:
    """Keep a holder's real name and how to reach them, encrypted, bound to study and holder. Refused without a key."""
    scope.viewer.require(Right.REVEAL)
    lines = [" ".join(required(name, "name", "The name").split()), " ".join(clean(contact).split())]
    with constraints_as_refusals():
        check_lengths({"name": lines[0], "contact": lines[1]})
    if key is None:
        raise Refused({"name": "This installation has no key for names, so it takes none. Set TENDER_KEY and try again."})
    nonce, ciphertext = key.encrypt("\n".join(filter(None, lines)), study_id=scope.study_id, holder_id=holder_id)
    values = {"study_id": scope.study_id, "ciphertext": ciphertext, "nonce": nonce, "key_id": key.key_id}
    HolderIdentity.insert(holder_id=holder_id, **values).on_conflict(
        conflict_target=[HolderIdentity.holder_id], update=values
    ).execute()


def change_names_key(old: NamesKey, new: NamesKey) -> int:
    """Keep every real name of every study under a new key, all or none; returns how many. Done again it changes nothing.

    Raises Refused where some name is under neither key.
    """
    with database.atomic():
        kept = list(HolderIdentity.select().order_by(HolderIdentity.holder_id).for_update())
        if strange := sorted({one.key_id for one in kept} - {old.key_id, new.key_id}):
            raise Refused({"key": f"Names are kept under the key {', '.join(strange)}, which this installation has not. "
                                  "Restore that key first; nothing was changed."})  # fmt: skip
        for one in kept:
            if one.key_id == old.key_id:
                of = {"study_id": one.study_id, "holder_id": one.holder_id}
                name = old.decrypt(bytes(one.nonce), bytes(one.ciphertext), **of)
                one.nonce, one.ciphertext = new.encrypt(name, **of)
                one.key_id = new.key_id
                one.save()
    return len(kept)


def reveal_real_name(scope: Scope, code: str, reason: str, key: NamesKey | None) -> str:
    """The real name of a holder and, on a line below, how to reach them where it is kept; for a stated reason, which is
    logged before the name is read."""
    scope.viewer.require(Right.REVEAL)
    reason = required(reason, "reason", "The reason")
    holder = people.holder(scope, code)
    if holder is None or holder["sealed"]:
        raise NotFound(code)
    with constraints_as_refusals():
        check_lengths({"reason": reason})
        logged = {"study_id": scope.study_id, "person_id": scope.viewer.person_id, "holder_id": holder["id"], "reason": reason}
        Disclosure.insert(**logged).execute()
    kept = people.identity(scope, holder["id"])
    if kept is None or key is None:
        raise Refused({"reason": "No name is kept for this holder, or this installation has no key to read it."})
    if kept["key_id"] != key.key_id:
        raise Refused({"reason": "The name is kept under another key than this installation has. Nothing was shown."})
    return key.decrypt(bytes(kept["nonce"]), bytes(kept["ciphertext"]), study_id=scope.study_id, holder_id=holder["id"])


# What an agreement may say beside the answers; kept as it was told and read by people.
WISHES = ("audience", "archive", "reuse", "after_death", "minors")
# What a limit can take away, from the narrowest to the widest.
REFUSALS = ("quote", "publish", "show", "count", "record")
TERM_COLUMNS = ("may_record", "may_count", "may_show", "may_publish_aggregate", "may_publish_rows", "may_publish_verbatim")


def record_agreement(scope: Scope, *, agreed_on: date, form: str, terms: Mapping[str, bool], holder_id: int | None = None,
                     community_id: int | None = None, expires_on: date | None = None,
                     wishes: Mapping[str, str] | None = None, limits: Sequence[Mapping[str, Any]] = (),
                     client_key: str | None = None) -> int:  # fmt: skip
    """Record what a holder or a community agreed to; from its day on it stands in place of the earlier one.

    `terms` are the answers by TERM_COLUMNS and `may_credit`; `expires_on` is the last day it stands; `wishes` by WISHES;
    each of `limits` says what is not to be done (`refuses`, of REFUSALS) with uses of a `category` (its number) or with what
    is told of a `plant` (its field number). A guardian records for the own community, and never wider than what stands:
    what the holder left out stays left out, and the last day comes no later. Where only some may hear it (the wish
    `audience`), nothing is published word for word.
    """
    scope.viewer.require_for(Right.AGREE, community_id or people.community_of(scope, holder_id))
    left_out = [one for limit in limits if (one := _limit(scope, limit))]
    if holder_id and not scope.viewer.everywhere(Right.AGREE):
        _require_not_wider(scope, holder_id, terms)
        stands = people.standing_agreement(scope, holder_id)
        left_out += [one for one in stands["limits"] if one not in left_out]
        expires_on = min(filter(None, (expires_on, stands["expires_on"])), default=None)
    form = required(form, "form", "How it was given")
    if terms.get("may_publish_verbatim") and clean((wishes or {}).get("audience")):
        raise Refused({"may_publish_verbatim": "What only some may hear cannot be published word for word, since whoever reads "
                       "it cannot be known. Take the one or the other back."})  # fmt: skip
    if agreed_on > scope.day:
        raise Refused({"agreed_on": "An agreement cannot be of a day to come."})
    values: dict[str, Any] = {name: bool(terms.get(name)) for name in TERM_COLUMNS}
    values |= {"agreed_on": agreed_on, "form": form, "holder_id": holder_id, "community_id": community_id,
               "expires_on": expires_on, "may_credit": bool(terms.get("may_credit")), "client_key": client_key,
               **{name: clean((wishes or {}).get(name)) for name in WISHES}}  # fmt: skip

    def make() -> int:
        with constraints_as_refusals(), act(scope.viewer, "record_agreement") as writing:
            return writing.create(Consent, values, holder_id=holder_id, children={"limits": left_out})

    return made_once(scope, "consent", client_key, make)


def _limit(scope: Scope, limit: Mapping[str, Any]) -> dict[str, Any] | None:
    """A limit as it is kept; None where nothing was chosen."""
    category, plant = clean(str(limit.get("category") or "")), clean(str(limit.get("plant") or ""))
    if not category and not plant:
        return None
    if category and plant:
        raise Refused({"limits": "A limit is about a category or about a plant. Put the other on a line of its own."})
    if limit.get("refuses") not in REFUSALS:
        raise Refused({"limits": f"Say what is not to be done: {', '.join(REFUSALS)}."})
    return {"refuses": limit["refuses"], **left_out_thing(scope, category, plant, "limits")}


def left_out_thing(scope: Scope, category: str, plant: str, field: str) -> dict[str, int | None]:
    """The category or the plant that a limit or a restriction is about, by their numbers in the database."""
    if category:
        number = number_of(category, field, "Choose a category of the study.")
        if number not in {one["id"] for one in studies.use_codes(scope)}:
            raise Refused({field: "Choose a category of the study."})
        return {"category_id": number, "plant_id": None}
    read = _FIELD_NUMBER.match(plant)
    found = plants.id_of_number(scope, int(read[1])) if read else None
    if found is None:
        raise Refused({field: f"The study has no plant “{plant}”. Write its field number, such as P-014."})
    return {"category_id": None, "plant_id": found}


def _require_not_wider(scope: Scope, holder_id: int, terms: Mapping[str, bool]) -> None:
    now = people.terms_of(scope, holder_id)
    if any(terms.get(name) and not now[name] for name in (*TERM_COLUMNS, "may_credit")):
        sentence = (
            "A guardian can make terms narrower, not wider. What the holder allows beyond this, a recorder or an owner records."
        )
        raise Refused({"may_record": sentence})


def withdraw_agreement(scope: Scope, consent_id: int, version: int, withdrawn_on: date) -> None:
    """Withdraw an agreement by sealing: at once its giver's records are in no read for anybody."""
    scope.viewer.require(Right.AGREE)
    if withdrawn_on > scope.day:
        raise Refused({"withdrawn_on": "A withdrawal cannot be of a day to come."})
    giver = people.giver_of(scope, consent_id)
    if giver is None:
        raise NotFound(f"agreement {consent_id}")
    scope.viewer.require_for(Right.AGREE, giver["of_community"])
    values = {"withdrawn_on": withdrawn_on, "withdrawal": "seal"}
    with saving(scope, "withdraw_agreement") as writing:
        writing.update(Consent, consent_id, version, values, holder_id=giver["holder_id"])
    results.forget(scope)


def erase_holder(scope: Scope, code: str, typed: str) -> int:
    """Erase a holder and everything that came from them, for good; returns how many records went.

    The code must be typed once more. Others see from then on that somebody was erased, when and by whom, and nothing else.
    """
    scope.viewer.require(Right.AGREE)
    found = people.holder(scope, code)
    if found is None:
        raise NotFound(code)
    scope.viewer.require_for(Right.AGREE, found["community_id"])
    if clean(typed).upper() != found["code"]:
        raise Refused({"typed": "Type the holder’s code as it stands above, since this cannot be undone."})
    with act(scope.viewer, "erase_holder") as writing:
        records = erase_holder_rows(scope.study_id, found["id"])
        keep_erasure(scope.study_id, found["id"], scope.viewer.person_id, records)
        remember_erasures(
            [
                {
                    "installation": installation_id(),
                    "study_id": scope.study_id,
                    "holder_id": found["id"],
                    "holder_uid": found["uid"],
                    "person_id": scope.viewer.person_id,
                    "records": records,
                    "at": clock.now(),
                }
            ]
        )
        writing.count_erased(records)
        # Where its traces cannot be written over now, as on a full disk, the worker does it once there is room.
        long_work.begin("overwrite", scope, {}, lock=_OVERWRITE, after=60)
    with suppress(*UNAVAILABLE):
        overwrite_deleted()
        take_back(_OVERWRITE)
    return records


_OVERWRITE = "overwrite"


def _overwrite(_task: long_work.Task, _of: Mapping[str, Any]) -> None:
    overwrite_deleted()


def _leave(_of: Mapping[str, Any], _why: str) -> None:
    """The next erasure writes the tables anew as well."""


long_work.register("overwrite", long_work.Work(_overwrite, _leave))
