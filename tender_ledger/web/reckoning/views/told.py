"""Free lists, parts and preparations."""

from collections import Counter
from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

from flask import g, request, url_for

from tender_ledger.core.publication import NAMED, UNNAMED
from tender_ledger.figures.plots import bars
from tender_ledger.formats.tables import Column, Table
from tender_ledger.operations import analyses
from tender_ledger.operations.disclosure.audience import Audience
from tender_ledger.operations.reckoning import taxa_of_category
from tender_ledger.web.reckoning.asked import Asked, categories
from tender_ledger.web.reckoning.contents import Apart, Block, Content, Link, Names, Row
from tender_ledger.web.reckoning.views.intervals import ends_of, pair_of
from tender_ledger.web.shared.words import gettext as _

_ENDS = ("mean", "smith", "sutrop")


def lists(one: Asked, audience: Audience, _names: Names) -> Content:
    """How salient the items of the free lists are."""
    category = one.selection.category
    members = taxa_of_category(g.scope, one.rules, category, purpose=audience.purpose) if category else ()
    found = analyses.list_salience(g.scope, group=one.group, members=members, purpose=audience.purpose)
    heading = _("Salience in free lists")
    lede = _("What is named by many and early is salient. N are all lists, the empty ones too.")
    if not found["items"]:
        return Content(heading, lede, empty=_("No free list is on record. Enter one on the page of an encounter."))
    rows = [
        {
            "item": item,
            "frequency": value["frequency"],
            "mean": value["mean_position"],
            "smith": value["smith_S_N_all"],
            "sutrop": value["sutrop_N_all"],
            **{key: end for name in _ENDS for key, end in ends_of(name, found["ends"][name].get(item)).items()},
        }
        for item, value in found["items"].items()
        if audience.sees_item(item)
    ]
    rows.sort(key=lambda row: (-row["smith"], row["item"]))
    columns = [
        Column("item", _("item"), "text"),
        Column("frequency", _("lists"), "count"),
        Column("mean", _("mean place"), explains="place", ends=True),
        Column("smith", _("Smith’s S"), ends=True),
        Column("sutrop", _("Sutrop"), ends=True),
    ]
    words = {"title": _("Salience curve, Smith’s S"), "y": _("item"), "says": _("Items of free lists by Smith’s S.")}
    figure = bars([(row["item"], row["smith"], _opened("smith", row["item"])) for row in rows[:30]], words)
    lengths = found["lengths"]
    said = [
        _(
            "%(n)s lists, %(empty)s of them empty; the longest has %(longest)s items, the middle one %(middle)s.",
            n=found["N_all"],
            empty=found["N_all"] - found["N_lists"],
            longest=lengths[0],
            middle=lengths[len(lengths) // 2],
        )
    ]
    return Content(
        heading,
        lede,
        [
            Block(
                "salience",
                _("Salience curve"),
                figure,
                Table("salience", _("Salience in free lists"), columns, rows, subject="item"),
                said,
                apart=_lists_apart(found),
            ),
            *([_bias(found.get("bias"), categories()[category].label)] if category in categories() else []),
            _lengths(found),
        ],
        stays=_("Lists of one community stay here: those of the whole study are given out.") if one.group else "",
    )


def _bias(found: Mapping[str, Any] | None, category: str) -> Block:
    """Whether the lists name the plants of a category before the others."""
    heading = _("Are its plants named first: %(category)s", category=category)
    if found is None or found["value"] is None:
        return Block("bias", heading, sentences=[_("B is undefined: no list has items of the category and others beside them.")])
    row = {"of": category, "bias": found["value"], "lists": found["lists"], **ends_of("bias", found["ends"])}
    columns = [Column("of", _("use category"), "text"), Column("bias", "B", ends=True),
               Column("lists", _("lists"), "count", explains="biased")]  # fmt: skip

    made = [Link(one["informant"], f"B = {one['bias']:.3f}", url_for("encounters.record", number=one["encounter"]))
            for one in found["of"]]  # fmt: skip

    table = Table("bias", _("Category bias, the mean of the lists"), columns, [row], subject="of")
    return Block("bias", heading, table=table, sentences=[_("1: all before the others, 0: all after, ½: no bias.")],
                 stays=_("It picks out some of the lists, so it is given out as no file."),
                 apart={"bias": lambda row: Apart({"n": row["lists"]}, made, ends=pair_of(found["ends"])),
                        "biased": lambda row: Apart({"n": row["lists"]}, made)})  # fmt: skip


def _lengths(found: Mapping[str, Any]) -> Block:
    """How many lists there are of each length."""
    times = Counter(found["lengths"])
    rows = [{"length": length, "lists": number} for length, number in sorted(times.items())]
    words = {"title": _("Lists by their length"), "y": _("items"), "says": _("How many free lists have so many items.")}
    drawn = [(str(row["length"]), row["lists"], _opened("lists", str(row["length"]), "lengths")) for row in rows]

    def lists_of(row: Row) -> Apart:
        standing = [one for stood in found["of"].values() for one in stood if one["length"] == row["length"]]
        made = sorted({(one["informant"], one["encounter"]) for one in standing})
        return Apart({"n": row["lists"]}, [Link(code, "", url_for("encounters.record", number=at)) for code, at in made])

    columns = [Column("length", _("items"), "text"), Column("lists", _("lists"), "count")]
    table = Table("lengths", words["title"], columns, rows, subject="length")
    return Block(
        "lengths",
        words["title"],
        bars(drawn, words, whole=True) if drawn else None,
        table,
        apart={"lists": lists_of},
        stays=_("Its numbers are of single lists, so it is given out as no file."),
    )


def _opened(kind: str, item: str, block: str = "salience") -> str:
    """The page with the margin open at a number of an item."""
    kept: dict[str, Any] = {name: request.args.getlist(name) for name in ("group", "category") if name in request.args}
    return url_for("reckoning.analysis", view="lists", margin=f"{kind}:{block}:{item}", **kept)


def _lists_apart(found: Mapping[str, Any]) -> dict[str, Callable[[Row], Apart]]:
    """What each number of an item is made of: the lists that have it, as far as they may be shown."""

    def lists_of(row: Row, *, shares: bool = False) -> list[Link]:
        return [Link(one["informant"],
                     _("place %(at)s of %(of)s", at=one["place"], of=one["length"])
                     + (f": {(one['length'] - one['place'] + 1) / one['length']:.3f}" if shares else ""),
                     url_for("encounters.record", number=one["encounter"]))
                for one in found["of"].get(row["item"], ())]  # fmt: skip

    def values(row: Row) -> Mapping[str, Any]:
        value: Mapping[str, Any] = found["items"][row["item"]]
        return value

    def smith(row: Row) -> Apart:
        others = [(_("S over lists with an item"), values(row)["smith_S_N_lists"]), (_("Sutrop"), row["sutrop"])]
        put = {"N": found["N_all"], "sum_i": f"{row['smith'] * found['N_all']:.3f}"}
        return Apart(put, lists_of(row, shares=True), others, pair_of(found["ends"]["smith"].get(row["item"])))

    def sutrop(row: Row) -> Apart:
        others = [(_("Sutrop over lists with an item"), values(row)["sutrop_N_lists"]), (_("Smith’s S"), row["smith"])]
        put = {"F": row["frequency"], "N": found["N_all"], "m": f"{row['mean']:.3f}"}
        return Apart(put, lists_of(row), others, pair_of(found["ends"]["sutrop"].get(row["item"])))

    def place(row: Row) -> Apart:
        put = {"F": row["frequency"], "sum_i": f"{row['mean'] * row['frequency']:.0f}"}
        return Apart(put, lists_of(row), (), pair_of(found["ends"]["mean"].get(row["item"])))

    return {"smith": smith, "sutrop": sutrop, "place": place,
            "frequency": lambda row: Apart({"F": row["frequency"]}, lists_of(row))}  # fmt: skip


def parts(one: Asked, audience: Audience, names: Names, labels: Names | None = None) -> Content:
    """Shares of parts and of preparations, by category and by community."""
    answer = analyses.parts_and_preparations(g.scope, one.rules, purpose=audience.purpose)
    heading = _("Parts and preparations")
    lede = _("Shares of what was told with a part, or a preparation; what names two counts for both.")
    if answer.body is None:
        return Content(heading, lede, waits=answer)
    labels = labels or {}
    blocks = []
    for name, title in (("parts", _("Parts")), ("preparations", _("Preparations"))):
        for by, words in (("category", _("by use category")), ("community", _("by community")), ("taxon", _("by plant"))):
            found = answer.body[f"{name}_by_{by}"]
            if any(sum(counts[:-1]) for counts in found["counts"]):
                blocks.append(_shares((name, by), f"{title} {words}", found, {**labels, **names}, audience))
    return Content(heading, lede, blocks, empty="" if blocks else _("No report that counts names a part or a preparation."))


def _shares(which: tuple[str, str], heading: str, found: Mapping[str, Any], labels: Names, audience: Audience) -> Block:
    total = [sum(counts[at] for counts in found["counts"]) for at in range(len(found["labels"]))]
    order = sorted((at for at, number in enumerate(total) if number), key=lambda at: (-total[at], found["labels"][at]))[:7]

    def key_of(at: int) -> str:
        return f"{which[0].removesuffix('s')}_{found['labels'][at]}"

    rows: list[dict[str, Any]] = []
    for place, (of, counts) in enumerate(zip(found["of"], found["counts"], strict=True)):
        named = sum(counts[:-1])
        if named and audience.sees_part(which[0], NAMED, which[1], of):
            cells: dict[str, float | None] = {
                key_of(at): counts[at] / named for at in order if audience.sees_part(which[0], found["labels"][at], which[1], of)
            }
            others = len(cells) < sum(map(bool, total))
            cells["others"] = 1 - sum(filter(None, cells.values())) if others else None
            row = {
                "of": of if which[1] == "taxon" else labels.get(of, of.replace("_", " ")),
                "code": of,
                "place": place,
                "named": named,
                "none": counts[-1] if audience.sees_part(which[0], UNNAMED, which[1], of) else None,
            }
            ends = {
                key: end
                for at in order
                if key_of(at) in cells
                for key, end in ends_of(key_of(at), _ends_in(found, place, at)).items()
            }
            rows.append({**row, **cells, **ends})
    shown = {at: labels.get(found["labels"][at], found["labels"][at].replace("_", " ")) for at in order}
    columns = [
        Column("of", _("plant"), "taxon") if which[1] == "taxon" else Column("of", "", "text"),
        Column("named", _("told with one"), "count"),
        Column("none", _("without"), "count", explains="unnamed"),
        *(Column(key_of(at), label, "share", explains=f"cpp/{at}", ends=True) for at, label in shown.items()),
    ]
    if any(row["others"] is not None for row in rows):
        columns.append(Column("others", _("others"), "share", explains="cpp/others"))
    listed, by = which

    def named_of(at: int) -> str:
        return labels.get(found["labels"][at], found["labels"][at].replace("_", " "))

    def shares(row: Row, label: int | None = None) -> Apart:
        counts, low, high = (found[key][row["place"]] for key in ("counts", "low", "high"))
        told = [at for at in range(len(counts) - 1) if counts[at] and (at in shown) != (label is None)]
        made = [Link(named_of(at), _share(counts[at], row["named"], low[at], high[at])) for at in told]
        everything = [(_("told with one, of all tellings"), row["named"] / (row["named"] + row["none"]))]
        if label is None:
            return Apart({"P_t": row["named"], "P_x": row["named"] - sum(counts[at] for at in order)}, made, everything)
        return Apart({"P_t": row["named"], "P_x": counts[label]}, made, everything, _ends_in(found, row["place"], label),
                     behind={by: row["code"], "names": (listed, found["labels"][label])})  # fmt: skip

    def behind(row: Row) -> Mapping[str, Any]:
        return {by: row["code"], "names": (listed, "")}

    apart: dict[str, Callable[[Row], Apart]] = {f"cpp/{at}": partial(shares, label=at) for at in order}
    apart |= {"cpp/others": shares, "named": shares,
              "unnamed": lambda row: Apart({"n": row["none"]}, behind={by: row["code"]})}  # fmt: skip
    name = f"{listed}-{by}"
    if by == "taxon":
        rows.sort(key=lambda row: (-row["named"], row["of"]))
    return Block(
        name,
        heading,
        table=Table(name, heading, columns, rows, subject="of"),
        apart=apart,
        behind=behind,
    )


def _ends_in(found: Mapping[str, Any], row: int, label: int) -> tuple[float, float] | None:
    low, high = found["low"][row][label], found["high"][row][label]
    return None if low is None else (low, high)


def _share(count: float, named: float, low: float | None, high: float | None) -> str:
    """“3 / 12 = 25.0 %, 10 to 41 %”."""
    said = f"{count:g} / {named:g} = {100 * count / named:.1f}\u2009%"
    return said if low is None or high is None else f"{said}, {100 * low:.0f} {_('to')} {100 * high:.0f}\u2009%"
