"""Plants as met: their local names and their determinations."""

from collections.abc import Mapping, Sequence
from typing import Any

from tender_ledger.core.measures import MeasureNotRead, read_measure
from tender_ledger.core.names import NamesService, TaxonName, find_name
from tender_ledger.core.names.matching import match_name
from tender_ledger.core.names.scientific import part_qualifier, usual_rank
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean, fold
from tender_ledger.operations.encounters import next_number
from tender_ledger.operations.errors import NotFound, Refused, constraints_as_refusals, required
from tender_ledger.operations.saving import made_once, saving
from tender_ledger.storage.database import value
from tender_ledger.storage.history import ActWriter, act
from tender_ledger.storage.models import Attestation, Checklist, Determination, Feature, LocalName, Plant, Taxon
from tender_ledger.storage.queries import plants, studies

BASES = {"specimen": "specimen", "living_plant": "living plant", "photo": "photo", "description": "description only"}
CONFIDENCES = {"sure": "sure", "likely": "likely", "doubtful": "doubtful"}
ORIGINS = {"unknown": "not known", "native": "native", "introduced": "introduced", "invasive": "invasive"}
MANAGEMENT = {"unknown": "not known", "wild": "wild", "tolerated": "tolerated", "encouraged": "encouraged",
              "cultivated": "cultivated", "bought": "bought"}  # fmt: skip
OWN_NAMES = "Names of imported tables"  # the list of the names of a study that no checklist has, however they came
_AT_ONCE = 4000  # so many rows are written at once
QUALIFIERS = {"none": "", "cf": "cf.", "aff": "aff.", "sp": "sp.", "hybrid": "hybrid"}


def add_plant(scope: Scope, *, name: str = "", language_id: int | None = None, gloss: str = "", dialect_id: int | None = None,
              client_key: str | None = None, **met: Any) -> int:  # fmt: skip
    """Add a plant as met, with a first local name if one was told; returns its number.

    `met` is what it was like: growth_form, habitat, origin, management, stage_id, remarks; all may be left out.
    """
    scope.viewer.require(Right.RECORD)
    values = _met(scope, met)

    def make() -> int:
        with constraints_as_refusals(), act(scope.viewer, "add_plant") as writing:
            plant_id = write_plant(writing, scope, client_key=client_key, **values)
            if clean(name):
                write_name(writing, plant_id, name, language_id, gloss, dialect_id)
            return plant_id

    made = made_once(scope, "plant", client_key, make)
    return int(value("SELECT number FROM plant WHERE id = %(id)s", id=made))


def write_plant(writing: ActWriter, scope: Scope, *, client_key: str | None = None, **values: Any) -> int:
    """Add a plant with the next field number within an act; returns its id. `told` says that it comes with a telling of it, and
    so is hidden and erased with whoever told."""
    return writing.create(Plant, {"number": next_number(scope, "plant"), "client_key": client_key, **values})


def correct_plant(scope: Scope, number: int, version: int, **met: Any) -> None:
    """Correct what a plant was like where it was met; names and determinations have their own."""
    scope.viewer.require(Right.RECORD)
    plant = _plant(scope, number)
    with saving(scope, "correct_plant") as writing:
        writing.update(Plant, plant["id"], version, _met(scope, met))


def _met(scope: Scope, met: Mapping[str, Any]) -> dict[str, Any]:
    return {
        **{name: clean(met.get(name)) for name in ("growth_form", "habitat", "remarks")},
        **{name: clean(met.get(name)) or "unknown" for name in ("origin", "management")},
        "stage_id": stage_of(scope, met.get("stage_id")),
    }


def stage_of(scope: Scope, chosen: object) -> int | None:
    """The plant stage that was chosen, None where none was."""
    stage = clean(str(chosen or ""))
    if stage and stage not in {str(one["id"]) for one in studies.terms(scope.study_id, "stage")}:
        raise Refused({"stage_id": "Choose a stage of the list."})
    return int(stage) if stage else None


def measure_feature(scope: Scope, number: int, *, character: str, words: str) -> int:
    """Keep what was measured of a plant, in the words of whoever measured: “leaf length”, “4 to 6 mm”; returns its id.

    Refused where no measure can be read from the words.
    """
    scope.viewer.require(Right.RECORD)
    plant = _plant(scope, number)
    said = required(words, "words", "The measure")
    try:
        measure = read_measure(said)
    except MeasureNotRead as unread:
        raise Refused({"words": str(unread)}) from None
    values = {"plant_id": plant["id"], "character": required(character, "character", "What was measured"), "low": measure.low,
              "high": measure.high, "unit": measure.unit, "approximate": measure.approximate, "words": said}  # fmt: skip
    with constraints_as_refusals(), act(scope.viewer, "measure_feature") as writing:
        return writing.create(Feature, values)


def remove_feature(scope: Scope, feature_id: int, version: int) -> int:
    """Take a measure back; undo brings it again. Returns the number of its plant."""
    scope.viewer.require(Right.RECORD)
    number = plants.plant_of_feature(scope, feature_id)
    if number is None:
        raise NotFound(f"feature {feature_id}")
    _plant(scope, number)
    with saving(scope, "remove_feature") as writing:
        writing.remove(Feature, feature_id, version)
    return number


def write_name(writing: ActWriter, plant_id: int, name: str, language_id: int | None, gloss: str = "",
               dialect_id: int | None = None, *, told: bool = False) -> int:  # fmt: skip
    """Give a plant a local name within an act; returns the name's id, a new one or the one it has already. `told` says that it
    comes with whoever used it, and so is hidden and erased with them."""
    name = required(name, "name", "The name")
    known = LocalName.select().where((LocalName.plant_id == plant_id) & (LocalName.name == name) & LocalName.removed_at.is_null())
    for found in known:
        if found.language_id == language_id:
            return int(found.id)
    values = {"plant_id": plant_id, "language_id": language_id, "dialect_id": dialect_id, "name": name, "name_fold": fold(name),
              "gloss": clean(gloss), "told": told}  # fmt: skip
    return writing.create(LocalName, values)


def write_attestation(writing: ActWriter, name_id: int, informant_id: int, encounter_id: int, holder_id: int | None) -> None:
    """Keep within an act that an informant used a name in an encounter."""
    values = {"local_name_id": name_id, "informant_id": informant_id, "encounter_id": encounter_id}
    known = Attestation.get_or_none(
        (Attestation.local_name_id == name_id) & (Attestation.informant_id == informant_id)
        & (Attestation.encounter_id == encounter_id) & Attestation.removed_at.is_null()
    )  # fmt: skip
    if known is None:
        writing.create(Attestation, values, holder_id=holder_id)


def name_plant(scope: Scope, number: int, *, name: str, language_id: int | None, gloss: str = "", dialect_id: int | None = None,
               attested: Sequence[tuple[int, int, int | None]] = ()) -> None:  # fmt: skip
    """Give a plant one more local name; `attested` says who used it where: (informant, encounter, holder) ids."""
    scope.viewer.require(Right.RECORD)
    plant = _plant(scope, number)
    with constraints_as_refusals(), act(scope.viewer, "name_plant") as writing:
        name_id = write_name(writing, plant["id"], name, language_id, gloss, dialect_id, told=bool(attested))
        for informant_id, encounter_id, holder_id in attested:
            write_attestation(writing, name_id, informant_id, encounter_id, holder_id)


def determine_plant(scope: Scope, number: int, names: NamesService, *, taxon: str, qualifier: str, basis: str,
                    confidence: str, determiner: str = "", remarks: str = "", as_written: bool = False,
                    family: str = "") -> None:  # fmt: skip
    """Say what a plant is, at whatever rank; no name says that it is of none that anybody can tell. A later determination stands
    in place of the earlier, which stays in the history.

    Recording a first determination needs the right to record, changing one the right to redetermine. Refused for a name
    that the names service does not have, unless it is to be kept `as_written`, of a `family` that may be open; and for none
    where nothing was determined.
    """
    plant = _plant(scope, number)
    scope.viewer.require(Right.REDETERMINE if plant["determination_id"] else Right.RECORD)
    if not clean(taxon) and not plant["determination_id"]:
        raise Refused({"taxon": "The scientific name is missing. A plant without one needs no determination."})
    if as_written:
        names = WithWritten(names, scope, taxon, family)
    found = found_name(names, taxon) if clean(taxon) else None
    values = {
        "verbatim": clean(taxon),
        "plant_id": plant["id"], "qualifier": qualifier, "basis": basis, "confidence": confidence,
        "determiner": clean(determiner) or scope.viewer.name, "determined_on": scope.day, "remarks": clean(remarks),
    }  # fmt: skip
    with constraints_as_refusals(), act(scope.viewer, "determine_plant") as writing:
        if plant["determination_id"]:
            writing.update(Determination, plant["determination_id"], None, {"is_current": False})
        writing.create(Determination, {**values, "taxon_id": keep_taxon(names, found) if found else None})


class WithWritten:
    """A names service, and behind it a name of which it has nothing, kept in a list of the study's own as it was written."""

    def __init__(self, names: NamesService, scope: Scope, written: str, family: str = "") -> None:
        self._names, self._scope, self._family = names, scope, clean(family)
        self._written, _qualifier = part_qualifier(clean(written))

    @property
    def title(self) -> str:
        return self._names.title

    @property
    def version(self) -> str:
        return self._names.version

    def namesakes(self, name: str) -> list[TaxonName]:
        found = self._names.namesakes(name)
        if found or fold(name) != fold(self._written):
            return found
        return [TaxonName(self._written, "", usual_rank(self._written), self._family)]

    def suggest(self, typed: str, limit: int = 10) -> list[TaxonName]:
        return self._names.suggest(typed, limit)

    def near(self, name: str, limit: int = 50) -> list[TaxonName]:
        return self._names.near(name, limit)

    def keep(self, name: TaxonName) -> int | None:
        """The row of the name in the study's own list, where it is the one that was written and no checklist has it."""
        if self._names.namesakes(name.name) or name.name != self._written:
            return None
        return keep_own_taxa(self._scope, [name])[name.name]


def keep_own_taxa(scope: Scope, names: Sequence[TaxonName]) -> dict[str, int]:
    """The rows, by name, of names that no checklist has: they stand in a list of the study's own."""
    Checklist.insert(study_id=scope.study_id, name=OWN_NAMES, version="1").on_conflict_ignore().execute()
    checklist = Checklist.get((Checklist.study_id == scope.study_id) & (Checklist.name == OWN_NAMES)).id
    kept = [
        {"checklist_id": checklist, "name": one.name, "authorship": one.authorship, "rank": one.rank, "genus": one.genus,
         "family": one.family, "name_fold": fold(one.name)} for one in names
    ]  # fmt: skip
    for at in range(0, len(kept), _AT_ONCE):
        Taxon.insert_many(kept[at : at + _AT_ONCE]).on_conflict_ignore().execute()
    wanted = {one.name for one in names}
    return {one.name: one.id for one in Taxon.select().where(Taxon.checklist_id == checklist) if one.name in wanted}


def found_name(names: NamesService, typed: str) -> TaxonName:
    """The name of the service that was typed, accepted or a synonym. What is only near is told in the refusal, never taken."""
    match = match_name(names, clean(typed))
    if match.name is None:
        near = "; ".join(f"{one.name} ({how})" for one, how in match.near)
        if any(fold(one.name) == fold(typed) for one, _how in match.near):
            raise Refused({"taxon": f"The checklist has “{clean(typed)}” more than once: {near}. Write it with its author."})
        listed = f" Near it: {near}. Write the one that is meant." if near else ""
        remedy = " Or keep it as written below; or bring a checklist that has it."
        raise Refused({"taxon": f"The checklist has no “{clean(typed)}”.{listed}{remedy}"})
    return match.name


def keep_taxon(names: NamesService, name: TaxonName) -> int:
    """The row of a name of the service, made when it is first used, its accepted name with it; one with a key has it already."""
    if name.key:
        return name.key
    if isinstance(names, WithWritten) and (own := names.keep(name)) is not None:
        return own
    accepted = find_name(names, name.accepted) if name.accepted else None
    accepted_id = keep_taxon(names, accepted) if accepted else None
    Checklist.insert(name=names.title, version=names.version).on_conflict_ignore().execute()
    listed = Checklist.get((Checklist.name == names.title) & (Checklist.version == names.version))
    key = {"checklist_id": listed.id, "name": name.name, "authorship": name.authorship}
    rest = {"rank": name.rank, "genus": name.genus, "family": name.family, "accepted_id": accepted_id,
            "name_fold": fold(name.name)}  # fmt: skip
    Taxon.insert(**key, **rest).on_conflict_ignore().execute()
    return int(Taxon.get(*(getattr(Taxon, column) == value for column, value in key.items())).id)


def _plant(scope: Scope, number: int) -> dict[str, Any]:
    plant = plants.plant(scope, number)
    if plant is None:
        raise NotFound(f"plant {number}")
    return plant
