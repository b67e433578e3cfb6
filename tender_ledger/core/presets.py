"""Counting rules of the main schools, by name, each with its citation and when to take it."""

from dataclasses import dataclass

from tender_ledger.core.rules import CountingRules


@dataclass(frozen=True)
class Preset:
    """A set of rules with a name in the address, what it is called, when to take it, and whose it is."""

    code: str
    name: str
    when: str
    source: str
    rules: CountingRules


PRESETS = (
    Preset(
        "importance",
        "Cultural importance",
        "Take it to compare species and communities by CI and RFC, each over its own N.",
        "Tardío & Pardo-de-Santayana 2008, Econ Bot 62:24–39",
        CountingRules(),
    ),
    Preset(
        "use-values",
        "Use values",
        "Take it where every specific use counts, and holders were asked about each plant.",
        "Phillips & Gentry 1993, Econ Bot 47:15–32",
        CountingRules(unit="use"),
    ),
    Preset(
        "events",
        "Interviews as events",
        "Take it where holders were asked on several days and each telling is a case of its own.",
        "Trotter & Logan 1986 (in Etkin, ed., 91–112)",
        CountingRules(repeat="each_event"),
    ),
    Preset(
        "practised",
        "Practised only",
        "Take it to set what is done today apart from what is only known.",
        "Lucena et al. 2012, J Environ Manage 96:106–115 (less certain)",
        CountingRules(basis=("own", "patient", "witnessed", "unstated"), currency=("current", "unstated")),
    ),
    Preset(
        "with-sources",
        "Holders and written sources",
        "Take it for an inventory of a region, with each written source as an informant.",
        "common practice, no source",
        CountingRules(
            basis=("own", "patient", "witnessed", "taught", "community", "read", "historical", "unstated"),
            informant_kinds=("holder", "source"),
        ),
    ),
    Preset(
        "parts",
        "Parts apart",
        "Take it where harvest differs by part, and the same use of leaf and of root are two.",
        "common practice, no source",
        CountingRules(unit="use_part"),
    ),
    Preset(
        "remedies",
        "Remedies as told",
        "Take it where remedies of several plants are used as one and should be ranked as one.",
        "common practice, no source",
        CountingRules(mixtures="own_taxon"),
    ),
)
