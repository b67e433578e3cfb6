"""Plants as met: their local names and their determinations."""

from collections.abc import Sequence
from typing import Any

from tender_ledger.core.names import NamesService, TaxonName
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean, fold
from tender_ledger.operations.encounters import next_number
from tender_ledger.operations.errors import NotFound, Refused, constraints_as_refusals, required
from tender_ledger.operations.saving import made_once
from tender_ledger.storage.database import value
from tender_ledger.storage.history import ActWriter, act
from tender_ledger.storage.models import Attestation, Checklist, Determination, LocalName, Plant, Taxon
from tender_ledger.storage.queries import plants

BASES = {"specimen": "specimen", "living_plant": "living plant", "photo": "photo", "description": "description only"}
CONFIDENCES = {"sure": "sure", "likely": "likely", "doubtful": "doubtful"}
QUALIFIERS = {"none": "", "cf": "cf.", "aff": "aff.", "sp": "sp.", "hybrid": "hybrid"}


def add_plant(scope: Scope, *, growth_form: str = "", remarks: str = "", name: str = "", language_id: int | None = None,
              gloss: str = "", client_key: str | None = None) -> int:  # fmt: skip
    """Add a plant as met, with a first local name if one was told; returns its number."""
    scope.viewer.require(Right.RECORD)

    def make() -> int:
        with constraints_as_refusals(), act(scope.viewer, "add_plant") as writing:
            plant_id = write_plant(writing, scope, growth_form=growth_form, remarks=remarks, client_key=client_key)
            if clean(name):
                write_name(writing, plant_id, name, language_id, gloss)
            return plant_id

    made = made_once(scope, "plant", client_key, make)
    return int(value("SELECT number FROM plant WHERE id = %(id)s", id=made))


def write_plant(writing: ActWriter, scope: Scope, *, growth_form: str = "", remarks: str = "",
                client_key: str | None = None) -> int:  # fmt: skip
    """Add a plant with the next field number within an act; returns its id."""
    values = {"number": next_number(scope, "plant"), "growth_form": clean(growth_form), "remarks": clean(remarks),
              "client_key": client_key}  # fmt: skip
    return writing.create(Plant, values)


def write_name(writing: ActWriter, plant_id: int, name: str, language_id: int | None, gloss: str = "") -> int:
    """Give a plant a local name within an act; returns the name's id, a new one or the one it has already."""
    name = required(name, "name", "The name")
    known = LocalName.select().where((LocalName.plant_id == plant_id) & (LocalName.name == name) & LocalName.removed_at.is_null())
    for found in known:
        if found.language_id == language_id:
            return int(found.id)
    values = {"plant_id": plant_id, "language_id": language_id, "name": name, "name_fold": fold(name), "gloss": clean(gloss)}
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


def name_plant(scope: Scope, number: int, *, name: str, language_id: int | None, gloss: str = "",
               attested: Sequence[tuple[int, int, int | None]] = ()) -> None:  # fmt: skip
    """Give a plant one more local name; `attested` says who used it where: (informant, encounter, holder) ids."""
    scope.viewer.require(Right.RECORD)
    plant = _plant(scope, number)
    with constraints_as_refusals(), act(scope.viewer, "name_plant") as writing:
        name_id = write_name(writing, plant["id"], name, language_id, gloss)
        for informant_id, encounter_id, holder_id in attested:
            write_attestation(writing, name_id, informant_id, encounter_id, holder_id)


def determine_plant(scope: Scope, number: int, names: NamesService, *, taxon: str, qualifier: str, basis: str,
                    confidence: str, determiner: str = "", remarks: str = "") -> None:  # fmt: skip
    """Say what a plant is. A later determination stands in place of the earlier, which stays in the history.

    Recording a first determination needs the right to record, changing one the right to redetermine. Refused for a name
    that the names service does not have.
    """
    plant = _plant(scope, number)
    scope.viewer.require(Right.REDETERMINE if plant["determination_id"] else Right.RECORD)
    found = names.find(required(taxon, "taxon", "The scientific name"))
    if found is None:
        near = ", ".join(name.name for name in names.suggest(taxon[:4], 4))
        raise Refused({"taxon": f"The checklist has no “{clean(taxon)}”." + (f" Near it are {near}." if near else "")})
    values = {
        "plant_id": plant["id"], "qualifier": qualifier, "basis": basis, "confidence": confidence,
        "determiner": clean(determiner) or scope.viewer.name, "determined_on": scope.day, "remarks": clean(remarks),
    }  # fmt: skip
    with constraints_as_refusals(), act(scope.viewer, "determine_plant") as writing:
        if plant["determination_id"]:
            writing.update(Determination, plant["determination_id"], None, {"is_current": False})
        writing.create(Determination, {**values, "taxon_id": keep_taxon(names, found)})


def keep_taxon(names: NamesService, name: TaxonName) -> int:
    """The row of a name of the service, made when it is first used, its accepted name with it."""
    accepted = names.find(name.accepted) if name.accepted else None
    accepted_id = keep_taxon(names, accepted) if accepted else None
    Checklist.insert(name=names.title, version=names.version).on_conflict_ignore().execute()
    listed = Checklist.get((Checklist.name == names.title) & (Checklist.version == names.version))
    key = {"checklist_id": listed.id, "name": name.name, "authorship": name.authorship}
    rest = {"rank": name.rank, "genus": name.genus, "family": name.family, "accepted_id": accepted_id}
    Taxon.insert(**key, **rest).on_conflict_ignore().execute()
    return int(Taxon.get(*(getattr(Taxon, column) == value for column, value in key.items())).id)


def _plant(scope: Scope, number: int) -> dict[str, Any]:
    plant = plants.plant(scope, number)
    if plant is None:
        raise NotFound(f"plant {number}")
    return plant
