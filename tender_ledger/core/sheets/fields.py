"""What a column of a sheet can be: the fields of a use report, and how people head them."""

import re
from collections.abc import Mapping
from difflib import SequenceMatcher

from tender_ledger.core.text import fold

CARRIED, LEFT_OUT, INFORMANT_COLUMN = "", "-", "@"  # what a column can be beside a field
# The fields by what they are about, in the order in which a page offers them.
GROUPS: Mapping[str, tuple[str, ...]] = {
    "who": ("informant", "community", "informant_kind"),
    "where": ("event", "date"),
    "plant": ("taxon", "plant", "family", "rank", "qualifier", "local_name", "language"),
    "use": ("category", "subcategory", "use", "scheme", "part", "preparation", "application", "component", "dose", "for_whom",
            "frequency", "course", "phase", "proportion", "mixture", "role", "actor", "caution_told"),
    "harvest": ("season", "stage", "harvest", "harvest_effect"),
    "claim": ("basis", "stance", "outcome", "currency", "attributed_to", "cited"),
    "words": ("words", "words_language", "start", "end", "note", "report"),
}  # fmt: skip
FIELDS = tuple(name for names in GROUPS.values() for name in names)
# Heads in use for a field, folded; the name of the field itself is one of them.
_HEADS: Mapping[str, tuple[str, ...]] = {
    "informant": ("informant code", "informant no", "informant number", "informant id", "informants", "holder",
                  "knowledge holder", "respondent", "respondents", "resp", "inf", "interviewee",
                  "participant", "participant code", "teller",
                  "told by", "cited by", "source person", "code of informant"),
    "community": ("village", "settlement", "locality", "place", "community name", "site", "hamlet"),
    "informant_kind": ("kind of informant", "type of informant"),
    "event": ("encounter", "interview", "interview no", "interview number", "session", "visit"),
    "date": ("day", "interview date", "date of interview", "recorded on", "date recorded", "when told"),
    "taxon": ("species", "scientific name", "botanical name", "latin name", "plant species", "accepted name", "taxon name",
              "name of species"),
    "plant": ("plant no", "field number", "plant number", "collection number", "voucher", "voucher no", "specimen"),
    "family": ("botanical family", "plant family", "fam"),
    "rank": ("taxon rank", "taxonomic rank"),
    "qualifier": ("identification qualifier",),
    "local_name": ("local name", "vernacular name", "vernacular", "common name", "folk name", "name in the village",
                   "indigenous name", "local plant name"),
    "language": ("language of name", "name language", "language of the name"),
    "category": ("use category", "category of use", "use class", "uses category", "cat", "type of use", "use group"),
    "subcategory": ("use subcategory", "sub category", "specific category"),
    "use": ("purpose", "specific use", "ailment", "ailment treated", "disease", "disease treated", "used for", "uses", "illness",
            "complaint", "indication"),
    "scheme": ("coding scheme",),
    "part": ("part used", "plant part", "plant part used", "parts used", "parts", "organ", "organ used", "used part"),
    "preparation": ("mode of preparation", "preparation method", "method of preparation", "how prepared", "prep", "preparations",
                    "form of preparation"),
    "application": ("route", "route of administration", "administration", "mode of application", "how applied", "applied",
                    "way of use"),
    "component": ("component no",),
    "dose": ("dosage", "amount", "quantity", "how much", "posology"),
    "for_whom": ("for whom", "patient", "who takes it"),
    "frequency": ("how often", "times a day"),
    "course": ("duration", "duration of treatment", "for how long"),
    "phase": ("phase of illness",),
    "proportion": ("proportions", "ratio"),
    "mixture": ("recipe", "remedy", "mixture no", "recipe no"),
    "role": ("role in mixture",),
    "actor": ("used by",),
    "caution_told": ("caution", "cautions", "warning", "side effects", "toxicity", "contraindications"),
    "season": ("harvest season", "collection season", "season of harvest", "collecting time", "harvest time", "when gathered",
               "time of collection"),
    "stage": ("stage of growth", "growth stage", "phenology", "stage at harvest"),
    "harvest": ("how gathered", "harvest method", "collecting method", "way of gathering"),
    "harvest_effect": ("effect of harvest", "harvest impact"),
    "basis": ("basis of claim", "source of knowledge", "grounds", "how known", "knowledge basis"),
    "stance": ("affirms or denies",),
    "outcome": ("effect", "result", "did it help"),
    "currency": ("still used", "current use", "past or present"),
    "attributed_to": ("credited to", "attributed"),
    "cited": ("reference", "citation", "literature"),
    "words": ("statement", "quote", "in their words", "verbatim", "original words"),
    "words_language": ("language of words",),
    "start": ("start time", "time in recording", "from second"),
    "end": ("end time", "to second"),
    "note": ("notes", "remarks", "remark", "comment", "comments", "observation", "observations"),
    "report": ("report no", "record no", "statement no"),
}  # fmt: skip
# Heads of columns that are sums of others: they are counted anew from what was told, and not carried along.
_SUMS = frozenset({"total", "totals", "sum", "n", "fc", "ur", "uv", "rfc", "ci", "icf", "fl",
                   "no of citations", "frequency of citation",
                   "number of informants", "no", "nr", "row", "serial no", "s no", "sl no", "citations"})  # fmt: skip
_NUMBERED = frozenset({"no", "nr", "num", "number", "code", "id", "name"})  # what a head may end in without meaning more
_ALIKE = 0.87  # so alike a head must be to one in use


def _plain(head: str) -> str:
    bare = re.sub(r"\([^()]{0,80}\)", " ", fold(head)[:200])
    return " ".join(re.sub(r"[^\w]+|_", " ", bare).split())


_KNOWN = {_plain(head): name for name in FIELDS for head in (name, *_HEADS[name])}


def field_of_head(head: str) -> str:
    """The field that a head names: as it stands, without what is in brackets, or by one slip of the pen.

    LEFT_OUT for a sum or a running number, CARRIED for anything else.
    """
    plain = _plain(head)
    if plain in _KNOWN:
        return _KNOWN[plain]
    words = plain.split()
    if len(words) > 1 and words[-1] in _NUMBERED and " ".join(words[:-1]) in _KNOWN:
        return _KNOWN[" ".join(words[:-1])]
    if plain in _SUMS:
        return LEFT_OUT
    if len(plain) < 4:
        return CARRIED
    alike = {one: SequenceMatcher(a=one, b=plain).ratio() for one in _KNOWN if abs(len(one) - len(plain)) < 4}
    best = max(alike, key=alike.__getitem__, default="")
    return _KNOWN[best] if best and alike[best] >= _ALIKE else CARRIED
