"""The rules of the worklist. Each gives the items it finds, and says for all of them what settles one."""

import hashlib
import math
import re
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from tender_ledger.core.text import fold
from tender_ledger.core.worklist import Caution, Facts, Item, PlantFacts, ReportFacts

_NEAR = 0.5  # of the letters in threes that two names share, of those that either has
_FAR_KM = 200.0
_EARTH_KM = 6371.0  # mean radius (IUGG)
_EARLIEST = 1500

# Parts that are not there at a stage of the plant: common practice, no source.
_NO_FRUIT_YET = frozenset({"seedling", "shoot", "leafing", "rosette", "budding", "flowering"})
_NO_FLOWER = frozenset({"seedling", "shoot", "leafing", "rosette", "seeding", "ripe_fruit", "dormant"})
_NEVER_AT: Mapping[str, frozenset[str]] = {
    **dict.fromkeys(("fruit", "fruit_rind", "seed", "kernel", "cone"), _NO_FRUIT_YET),
    **dict.fromkeys(("flower", "inflorescence", "pollen"), _NO_FLOWER),
    "unripe_fruit": frozenset({"ripe_fruit", "seeding", *_NO_FRUIT_YET}),
    "young_leaf": frozenset({"dormant", "seeding"}),
}
_INTERNAL = frozenset({"eaten", "drunk", "sucked", "held_in_mouth", "enema", "inhaled"})
# Words that tell of somebody else's knowledge, and words of serious disease or strong action; English, folded, whole words.
_SAID_BY_OTHERS = re.compile(r"\b(they say|some say|people say|i have heard|i heard|it is said|i have read|i read)\b")
_STRONG = re.compile(
    r"\b(cancers?|tumou?rs?|leuka?emia|diabetes|epilepsy|tuberculosis|malaria|hiv|aids|hepatitis|stroke|heart failure|rabies|"
    r"tetanus|snake ?bites?|poison(ed|ing|s)?|abort(s|ed|ion|ing)?|miscarr(y|ies|ied|iage)|stupef(y|ies|ied|ying)|narcotics?|"
    r"intoxicat(es|ed|ing|ion)|kills?|cures? everything)\b"
)


@dataclass(frozen=True)
class Rule:
    """A rule: its code, what it is called, what settles an item of it, and how its items are found. A rule `of_reports` looks at
    nothing but what one informant told, so that its items can be found informant by informant."""

    code: str
    title: str
    fix: str
    find: Callable[[Facts], Iterator[Item]]
    of_reports: bool = False


def find_all(facts: Facts, *, of_reports: bool | None = None) -> list[Item]:
    """The items of every rule, rule by rule in the order of RULES; of the rules of reports alone, or of the others alone, where
    it is said. Nothing recorded gives none."""
    return [item for rule in RULES if of_reports in (None, rule.of_reports) for item in rule.find(facts)]


def is_strong_claim(purpose: str, words: str = "") -> bool:
    """Whether a use is told of a serious disease, of poisoning, stupefying or abortion; it leaves no study unreviewed."""
    return bool(_STRONG.search(fold(f"{purpose} {words}")))


def _undetermined(facts: Facts) -> Iterator[Item]:
    for plant in facts.plants:
        if not plant.taxon and plant.reports:
            waits = "waits" if plant.reports == 1 else "wait"
            yield _of_plants("undetermined", f"{_reports(plant.reports)} {waits} with it.", plant)


def _homonyms(facts: Facts) -> Iterator[Item]:
    for name, plants in sorted(_by_name(facts).items()):
        taxa = {plant.taxon or f"P-{plant.number}" for plant in plants}
        if len(plants) > 1 and len(taxa) > 1:
            numbers = ", ".join(_field(plant) for plant in plants)
            yield Item("homonym", _about_names(plants, name), f"“{name}” is told of {numbers}.", _these(plants))


def _near_names(facts: Facts) -> Iterator[Item]:
    """Names of different plants that share at least half of their letters in threes."""
    names = _by_name(facts)
    threes = {name: _threes(name) for name in names}
    having: dict[str, set[str]] = defaultdict(set)
    for name, parts in threes.items():
        for part in parts:
            having[part].add(name)
    for name in sorted(names):
        close = {other for part in threes[name] for other in having[part] if other > name}
        for other in sorted(close):
            shared = len(threes[name] & threes[other]) / len(threes[name] | threes[other])
            plants = {plant.number: plant for plant in (*names[name], *names[other])}
            if shared >= _NEAR and not set(_numbers(names[name])) & set(_numbers(names[other])):
                reason = f"“{name}” and “{other}” are spelt nearly alike and told of different plants."
                these = [plants[one] for one in sorted(plants)]
                yield Item("near_names", _about_names(these, name, other), reason, _these(these))


def _no_agreement(facts: Facts) -> Iterator[Item]:
    for holder in facts.holders:
        if not holder.on_file and holder.ended_on is None and holder.reports:
            reason = f"{_reports(holder.reports)} of theirs {'is' if holder.reports == 1 else 'are'} in no count."
            yield Item("no_agreement", f"holder {holder.code}", reason, (("holder", holder.code),))


def _agreement_ended(facts: Facts) -> Iterator[Item]:
    for holder in facts.holders:
        if not holder.on_file and holder.ended_on is not None and holder.reports:
            reason = f"It ended on {holder.ended_on.isoformat()}; {_reports(holder.reports)} left the counts with it."
            yield Item("agreement_ended", f"holder {holder.code}", reason, (("holder", holder.code),))


def _uncoded(facts: Facts) -> Iterator[Item]:
    for one in facts.reports:
        if not one.category:
            yield _of_report("no_category", "It counts nowhere until it has one.", one)


def _no_part(facts: Facts) -> Iterator[Item]:
    for one in facts.reports:
        if not one.parts and one.stance == "affirms":
            yield _of_report("no_part", "Which part it is was not said; “unspecified” says that nobody knows.", one)


def _part_and_stage(facts: Facts) -> Iterator[Item]:
    for one in facts.reports:
        for part in one.parts:
            if one.stage in _NEVER_AT.get(part, frozenset()):
                said = f"{part.replace('_', ' ')} at the stage {one.stage.replace('_', ' ')}"
                yield _of_report("part_and_stage", f"It tells of {said}.", one, f" {part}")


def _told_twice(facts: Facts) -> Iterator[Item]:
    """Reports of one encounter that agree in everything that is told. Told again elsewhere, with another outcome or on other
    grounds, it is evidence of its own."""
    told: dict[tuple[object, ...], list[ReportFacts]] = defaultdict(list)
    for one in facts.reports:
        if one.category:
            use = (one.informant, one.plant, one.encounter, one.category, fold(one.purpose))
            made = (one.parts, one.methods, one.applications, one.stage, fold(one.dose))
            told[*use, *made, one.basis, one.stance, one.outcome].append(one)
    for reports in told.values():
        if len(reports) > 1:
            first = reports[0]
            reason = f"{first.informant} tells it {len(reports)} times of P-{first.plant:03d}: {first.purpose or first.category}."
            about = "twice " + " ".join(str(one.id) for one in reports)
            yield Item("told_twice", about, reason, tuple(("report", one.id) for one in reports))


def _strong_claims(facts: Facts) -> Iterator[Item]:
    for one in facts.reports:
        found = _STRONG.search(fold(f"{one.purpose} {one.words}"))
        if found and one.stance == "affirms":
            yield _of_report("strong_claim", f"It tells of “{found[0]}”; masked in what leaves the study until reviewed.", one)


def _cautions_met(facts: Facts) -> Iterator[Item]:
    for one, caution in _meeting(facts):
        reason = f"{caution.taxon}: {caution.harm} ({caution.source})."
        yield _of_report("caution_met", reason, one, f" caution {caution.id}")


def _hearsay_as_own(facts: Facts) -> Iterator[Item]:
    for one in facts.reports:
        found = _SAID_BY_OTHERS.search(fold(one.words))
        if found and one.basis in ("own", "patient", "witnessed"):
            yield _of_report("hearsay_as_own", f"The words say “{found[0]}”, the grounds that it is the teller’s own.", one)


def _dose_missing(facts: Facts) -> Iterator[Item]:
    for one, caution in _meeting(facts, of_taxon_alone=True):
        if caution.poisonous and not one.dose and _INTERNAL & set(one.applications):
            yield _of_report("dose_missing", f"It is taken, and {caution.taxon} is on record as harmful: {caution.harm}.", one)


def _step_missing(facts: Facts) -> Iterator[Item]:
    for one, caution in _meeting(facts, of_taxon_alone=True):
        of_part = not caution.part or not one.parts or caution.part in one.parts
        if caution.asks and of_part and caution.asks not in one.methods and _INTERNAL & set(one.applications):
            asked = caution.asks.replace("_", " ")
            yield _of_report(
                "step_missing", f"The caution asks for {asked}; the preparation does not tell it.", one, f" {caution.id}"
            )


def _outside(facts: Facts) -> Iterator[Item]:
    for one in facts.encounters:
        if one.latitude is None or one.longitude is None or not facts.region:
            continue
        nearest = min(_km(one.latitude, one.longitude, *place) for place in facts.region)
        if nearest > _FAR_KM:
            yield Item("outside", f"encounter {one.number}", f"It lies {nearest:.0f} km from the nearest community.",
                       (("encounter", one.number),))  # fmt: skip


def _impossible_days(facts: Facts) -> Iterator[Item]:
    born = {holder.code: holder.born for holder in facts.holders if holder.born}
    for one in facts.encounters:
        if one.first is None or one.last is None:
            continue
        reason = ""
        if one.first > facts.day:
            reason = f"It is dated {one.first.isoformat()}, which is still to come."
        elif one.first.year < _EARLIEST:
            reason = f"It is dated {one.first.year}."
        else:
            unborn = [code for code in one.tellers if code in born and born[code] > one.last.year]
            if unborn:
                reason = f"{unborn[0]} was born in {born[unborn[0]]}, after it."
        if reason:
            yield Item("impossible_day", f"encounter {one.number}", reason, (("encounter", one.number),))


def _meeting(facts: Facts, *, of_taxon_alone: bool = False) -> Iterator[tuple[ReportFacts, Caution]]:
    """Reports of affirmed uses with the cautions that they meet: of their taxon or its genus, and where the caution says them of
    their part, stage and preparation."""
    by_taxon: dict[str, list[Caution]] = defaultdict(list)
    for caution in facts.cautions:
        by_taxon[caution.taxon].append(caution)
    for one in facts.reports:
        if not one.taxon or one.stance != "affirms":
            continue
        for caution in (*by_taxon[one.taxon], *(by_taxon[one.taxon.split()[0]] if " " in one.taxon else ())):
            said = ((caution.part, one.parts), (caution.stage, (one.stage,)), (caution.method, one.methods))
            if of_taxon_alone or all(not wanted or wanted in has for wanted, has in said):
                yield one, caution


def _by_name(facts: Facts) -> dict[str, list[PlantFacts]]:
    found: dict[str, list[PlantFacts]] = defaultdict(list)
    for plant in facts.plants:
        for name in dict.fromkeys(map(fold, plant.names)):
            found[name].append(plant)
    return found


def _threes(name: str) -> frozenset[str]:
    """The letters in threes of each word, two blanks before it and one behind, as pg_trgm has them."""
    return frozenset(f"  {word} "[at : at + 3] for word in name.split() for at in range(len(word) + 1))


def _km(latitude: float, longitude: float, other: float, further: float) -> float:
    """The distance by the haversine, on a sphere."""
    a, b, c, d = map(math.radians, (latitude, longitude, other, further))
    half = math.sin((c - a) / 2) ** 2 + math.cos(a) * math.cos(c) * math.sin((d - b) / 2) ** 2
    return 2 * _EARTH_KM * math.asin(min(1.0, math.sqrt(half)))


def _of_report(rule: str, reason: str, one: ReportFacts, more: str = "") -> Item:
    return Item(rule, f"report {one.id}{more}", reason, (("report", one.id),))


def _of_plants(rule: str, reason: str, *plants: PlantFacts) -> Item:
    return Item(rule, "plant " + " ".join(str(one.number) for one in plants), reason, _these(plants))


def _about_names(plants: Sequence[PlantFacts], *names: str) -> str:
    """The plants, and a digest in the place of the names: what is kept of a decision tells no name."""
    digest = hashlib.sha256("\n".join(names).encode()).hexdigest()[:12]
    return f"plants {' '.join(map(str, _numbers(plants)))} {digest}"


def _these(plants: Sequence[PlantFacts]) -> tuple[tuple[str, int | str], ...]:
    return tuple(("plant", one.number) for one in plants)


def _numbers(plants: Sequence[PlantFacts]) -> list[int]:
    return [one.number for one in plants]


def _field(plant: PlantFacts) -> str:
    return f"P-{plant.number:03d}"


def _reports(how_many: int) -> str:
    return "1 report" if how_many == 1 else f"{how_many} reports"


def _of_reports(code: str, title: str, fix: str, find: Callable[[Facts], Iterator[Item]]) -> Rule:
    return Rule(code, title, fix, find, of_reports=True)


RULES: tuple[Rule, ...] = (
    Rule("no_agreement", "No agreement on file", "Record what the holder agreed to.", _no_agreement),
    Rule("agreement_ended", "Agreement ended", "Ask the holder anew, and record what they agree to.", _agreement_ended),
    Rule("undetermined", "Plant not determined", "Determine it, at whatever rank.", _undetermined),
    Rule("homonym", "One name, several plants", "Look whether one plant was taken for the other; else set it aside.", _homonyms),
    Rule("near_names", "Names nearly alike", "Correct the spelling, or set it aside where both are said.", _near_names),
    _of_reports("no_category", "Report without category", "Code it.", _uncoded),
    _of_reports("no_part", "Report without part", "Record the part, or “unspecified”.", _no_part),
    _of_reports("part_and_stage", "Part and stage contradict", "Correct one of the two.", _part_and_stage),
    Rule(
        "told_twice", "Told twice", "Make the reports one, or set it aside where both were meant.", _told_twice, of_reports=True
    ),
    _of_reports("hearsay_as_own", "Hearsay as own practice", "Correct the grounds.", _hearsay_as_own),
    _of_reports("strong_claim", "Strong claim", "Review it, and say so.", _strong_claims),
    Rule(
        "caution_met",
        "Caution met",
        "Look whether the caution stands with the report, and say so.",
        _cautions_met,
        of_reports=True,
    ),
    Rule(
        "dose_missing",
        "Dose missing",
        "Record how much was told, or set it aside where nothing was.",
        _dose_missing,
        of_reports=True,
    ),
    Rule(
        "step_missing",
        "Preparation step missing",
        "Ask for the step, record it, or set it aside.",
        _step_missing,
        of_reports=True,
    ),
    Rule("outside", "Position outside the region", "Correct the position.", _outside),
    Rule("impossible_day", "Impossible day", "Correct the day, or the year of birth.", _impossible_days),
)
