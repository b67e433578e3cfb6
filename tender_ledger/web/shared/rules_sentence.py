"""The counting rules as a sentence, in parts, so that a page can make each part a way to change it."""

from tender_ledger.core.rules import BASES, CountingRules
from tender_ledger.web.shared.words import gettext as _

BASIS_NAMES = {
    "own": _("own practice"),
    "patient": _("as patient"),
    "witnessed": _("witnessed"),
    "taught": _("taught"),
    "community": _("community practice"),
    "hearsay": _("hearsay"),
    "read": _("reading"),
    "historical": _("historical record"),
    "laboratory": _("laboratory study"),
    "animal_study": _("animal study"),
    "human_trial": _("human trial"),
    "study_unspecified": _("study of unstated kind"),
    "regulation": _("regulation"),
    "unstated": _("unstated"),
}
OUTCOME_NAMES = {
    "helped": _("helped"),
    "none": _("no effect"),
    "harmed": _("harmed"),
    "unstated": _("not said"),
}
# Of reports that are left out: why, as the end of “12 …”, and what that means.
LEFT_OUT = {
    "source": (_("of written sources"), _("These rules count holders only.")),
    "community": (_("of other communities"), _("These rules count some communities only.")),
    "coded": (_("not coded yet"), _("They have no use category yet. Code them, and they count.")),
    "plant": (_("of undetermined plants"), _("Their plants are not determined, or not as far as these rules ask.")),
    "basis": (_("on another basis"), _("These rules do not count what is told on such a basis.")),
    "stance": (_("that do not affirm a use"), _("Their stance is none of those that these rules count.")),
    "outcome": (_("with another outcome"), _("A use that only harmed is none, unless the rules say otherwise.")),
    "actor": (_("of animals by themselves"), _("What an animal does of itself is noted, and is no use by people.")),
    "currency": (
        _("told as of another time"),
        _("These rules count what is told as of some times only."),
    ),
    "role": (
        _("of carriers and correctives"),
        _("What only carries or corrects a remedy is no use of its own."),
    ),
    "mixture": (_("of remedies of several plants"), _("These rules leave mixtures out.")),
    "scheme": (_("in another coding scheme"), _("They have no code in the scheme that these rules count by.")),
    "secondary": (_("as further codes"), _("These rules count the first code of a report only.")),
    "terms": (_("under their terms"), _("Their tellers let them be shown, and not counted.")),
}
_STUDIES = frozenset({"laboratory", "animal_study", "human_trial", "study_unspecified", "regulation"})


def rules_parts(rules: CountingRules) -> tuple[str, str, str]:
    """Unit, informants and bases, each as the words that stand for it in the sentence."""
    unit = {
        "category": _("one report a holder, plant and category"),
        "use": _("one report a holder, plant and specific use"),
        "use_part": _("one report a holder, plant, specific use and part"),
    }[rules.unit]
    if rules.repeat == "each_event":
        unit = _("%(unit)s, in each encounter anew", unit=unit)
    tellers = _("holders and sources") if "source" in rules.informant_kinds else _("holders only")
    left_out = _short([basis for basis in BASES if basis not in rules.basis])
    counted = _short(list(rules.basis))
    if not left_out:
        grounds = _("any ground")
    elif len(left_out) <= len(counted):
        grounds = _("any ground but %(left_out)s", left_out=_listed(left_out))
    else:
        grounds = _listed(counted)
    return unit, tellers, grounds


def rules_sentence(rules: CountingRules) -> str:
    """Counting one report a holder, plant and category, told by holders only, on any ground but hearsay."""
    unit, tellers, grounds = rules_parts(rules)
    rest = f"; {further}" if (further := further_choices(rules)) else ""
    return _("Counting %(unit)s, told by %(tellers)s, on %(grounds)s", unit=unit, tellers=tellers, grounds=grounds) + f"{rest}."


CHOICES = {
    "secondary_codes": {"ignore": _("first code only"), "count": _("further codes counted too")},
    "mixtures": {
        "each": _("each plant of a mixture, carriers not"),
        "all_roles": _("every plant of a mixture, carriers too"),
        "drop": _("mixtures left out"),
        "own_taxon": _("a mixture as a taxon of its own"),
        "share": _("each plant of a mixture of k counts 1/k"),
    },
    "undetermined": {
        "drop": _("undetermined plants left out"),
        "each_own": _("each undetermined plant a taxon of its own"),
        "lump": _("undetermined plants as one taxon"),
    },
    "genus_level": {
        "own_taxon": _("a genus a taxon of its own"),
        "merge_if_single": _("a genus merged with its only species"),
        "drop": _("genera left out"),
    },
    "qualified": {
        "as_taxon": _("cf. and aff. as the taxon"),
        "own_taxon": _("cf. and aff. as taxa of their own"),
        "drop": _("cf. and aff. left out"),
    },
    "infraspecific": {"lump": _("subspecies and varieties as their species"), "own_taxon": _("subspecies and varieties apart")},
    "n": {"roster": _("N everybody interviewed"), "reporting": _("N only those who report")},
    "repeat": {"once": _("a thing told twice counts once"), "each_event": _("each encounter anew")},
    "resample": {"all": _("resampled over everybody"), "within_community": _("resampled within communities")},
    "level": {"category": _("by category"), "subcategory": _("by subcategory")},
}


def further_choices(rules: CountingRules) -> str:
    """In words what of the rules is not the usual choice, beyond unit, tellers and grounds; "" where nothing is."""
    usual, words = CountingRules(), []
    for key, names in CHOICES.items():
        chosen = getattr(rules, key)
        if key != "repeat" and chosen != getattr(usual, key):
            by_category = (
                "; ".join(f"{category} {names[level]}" for category, level in chosen) if isinstance(chosen, tuple) else ""
            )
            words.append(by_category or names[chosen])
    if rules.nc:
        words.append(_("NC = %(nc)s of the protocol", nc=rules.nc))
    if rules.scheme:
        words.append(_("by the scheme %(scheme)s", scheme=rules.scheme))
    if rules.currency != usual.currency:
        words.append(_("told as %(currency)s", currency=_listed([one.replace("_", " ") for one in rules.currency])))
    if rules.outcomes != usual.outcomes:
        words.append(_("with the outcomes %(outcomes)s", outcomes=_listed([OUTCOME_NAMES[one] for one in rules.outcomes])))
    if rules.stances != usual.stances:
        words.append(_("stances %(stances)s", stances=_listed(list(rules.stances))))
    if rules.communities:
        words.append(_("communities %(codes)s", codes=_listed(list(rules.communities))))
    return ", ".join(words)


def choice_words(chosen: object) -> str:
    """The value of a choice in words, as a table of choices shows it."""
    if isinstance(chosen, list):
        return ", ".join(BASIS_NAMES.get(one, str(one).replace("_", " ")) for one in chosen)
    if isinstance(chosen, dict):
        return "; ".join(f"{key}: {value}" for key, value in chosen.items())
    return _("none") if chosen is None else str(chosen).replace("_", " ")


def _short(bases: list[str]) -> list[str]:
    """The names of the grounds; the five kinds of study as one where all of them stand together."""
    all_studies = set(bases) >= _STUDIES
    named = [basis for basis in bases if basis not in _STUDIES or not all_studies]
    names = [BASIS_NAMES.get(basis, basis.replace("_", " ")) for basis in named]
    return [*names, _("published studies")] if all_studies else names


def _listed(words: list[str]) -> str:
    return words[0] if len(words) == 1 else _("%(first)s and %(last)s", first=", ".join(words[:-1]), last=words[-1])
