"""The counting rules as a sentence, in parts, so that a page can make each part a way to change it."""

from tender_ledger.core.rules import BASES, CountingRules
from tender_ledger.web.shared.words import gettext as _

BASIS_NAMES = {
    "own": _("own practice"), "patient": _("as patient"), "witnessed": _("witnessed"), "taught": _("taught"),
    "community": _("community practice"), "hearsay": _("hearsay"), "read": _("reading"),
    "historical": _("historical record"), "laboratory": _("laboratory study"), "animal_study": _("animal study"),
    "human_trial": _("human trial"), "study_unspecified": _("study of unstated kind"), "regulation": _("regulation"),
    "unstated": _("unstated"),
}  # fmt: skip
_STUDIES = frozenset({"laboratory", "animal_study", "human_trial", "study_unspecified", "regulation"})


def rules_parts(rules: CountingRules) -> tuple[str, str, str]:
    """Unit, informants and bases, each as the words that stand for it in the sentence."""
    unit = (
        _("one report a holder, plant and specific use") if rules.unit == "use" else _("one report a holder, plant and category")
    )
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
    return _("Counting %(unit)s, told by %(tellers)s, on %(grounds)s.", unit=unit, tellers=tellers, grounds=grounds)


def _short(bases: list[str]) -> list[str]:
    """The names of the grounds; the five kinds of study as one where all of them stand together."""
    all_studies = set(bases) >= _STUDIES
    named = [basis for basis in bases if basis not in _STUDIES or not all_studies]
    names = [BASIS_NAMES.get(basis, basis.replace("_", " ")) for basis in named]
    return [*names, _("published studies")] if all_studies else names


def _listed(words: list[str]) -> str:
    return words[0] if len(words) == 1 else _("%(first)s and %(last)s", first=", ".join(words[:-1]), last=words[-1])
