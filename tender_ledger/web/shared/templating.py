"""Filters and globals of the templates: numbers, days, scientific names, links into the margin."""

import math
import uuid
from collections.abc import Mapping
from datetime import date, datetime
from typing import Any
from urllib.parse import quote, urlencode
from zoneinfo import ZoneInfo

from flask import Flask, request, url_for
from markupsafe import Markup, escape

from tender_ledger.core.days import PartialDay
from tender_ledger.core.limits import longest
from tender_ledger.core.names import written_name
from tender_ledger.core.terms import AgreementTerms
from tender_ledger.formats.citing import cite
from tender_ledger.web.shared import words
from tender_ledger.web.shared.past_counts import seconds_since_count
from tender_ledger.web.shared.spread import last_act

_THIN = "\u2009"
DASH = "–"


def install(app: Flask) -> None:
    """Make filters, globals and gettext known to every template."""
    app.jinja_env.add_extension("jinja2.ext.i18n")
    app.jinja_env.install_gettext_callables(words.gettext, words.plural, newstyle=True)  # type: ignore[attr-defined]
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    app.jinja_env.filters.update(
        count=count, decimal=decimal, day=day, days=days, moment=moment, sci=sci, clock=recording_time, terms=terms_sentence,
        cite=cited, degrees=degrees, measure=measure, hue=hue, written=written_name, signed=signed, scheme=scheme,
        longest=longest,
    )  # fmt: skip
    app.jinja_env.globals.update(
        here=here,
        leads=leads,
        last_act=last_act,
        new_key=lambda: str(uuid.uuid4()),
        seconds_since_count=seconds_since_count,
    )


def count(value: int) -> str:
    """A whole number with a thin space a thousand."""
    return f"{int(value):,}".replace(",", _THIN)


def decimal(value: float | None, places: int = 2) -> str:
    """A number to so many places, a dash where it is undefined."""
    if value is None or math.isnan(value):
        return DASH
    return f"{float(value):,.{places}f}".replace(",", _THIN)


def signed(value: float, places: int = 2) -> str:
    """A difference with its sign, a dash where it is undefined; nothing stands before a 0."""
    text = decimal(abs(value), places)
    if text == DASH or not float(f"{abs(value):.{places}f}"):
        return text
    return ("+" if value > 0 else "−") + text


def day(value: date) -> str:
    """12 May 2026."""
    return str(PartialDay(value, value))


def days(record: dict[str, Any]) -> str:
    """The days of an encounter or report, as exactly as they are known."""
    if record["day_from"] is None:
        return words.gettext("day not known")
    return str(PartialDay(record["day_from"], record["day_to"], record["approximate"]))


def moment(value: datetime, zone: str = "UTC") -> str:
    """A moment on the clocks of the study."""
    local = value.astimezone(ZoneInfo(zone))
    return f"{day(local.date())}, {local:%H:%M}"


def measure(one: Mapping[str, Any]) -> str:
    """A range with its unit, in the unit of its kind that suits its size: 0.4 to 0.6 cm is 4–6 mm."""
    unit, factor = _suited(one["unit"], max(abs(end) for end in (one["low"], one["high"]) if end is not None))
    low, high = (f"{end * factor:.3g}".replace("-", "−") if end is not None else "" for end in (one["low"], one["high"]))
    between = words.gettext("at least %(n)s", n=low) if not high else words.gettext("up to %(n)s", n=high) if not low else (
        low if low == high else f"{low}–{high}")  # fmt: skip
    about = words.gettext("about ") if one["approximate"] else ""
    if (
        unit not in ("min", "mm")
        and len(unit) > 2
        and unit.replace(" ", "").isalpha()
        and (one["high"] or one["low"] or 0) * factor > 1
    ):
        unit += "es" if unit.endswith(("ch", "s")) else "s"  # a folk measure is a word
    return f"{about}{unit}{between}" if unit == "1:" else f"{about}{between}{_THIN if unit else ''}{unit}"


# Units that suit sizes: of a standard unit, from what size on another one stands, and by what it is multiplied.
_SUITED: Mapping[str, tuple[tuple[float, str, float], ...]] = {
    "cm": ((100_000, "km", 1e-5), (100, "m", 0.01), (1, "cm", 1), (0, "mm", 10)),
    "g": ((1000, "kg", 0.001), (1, "g", 1), (0, "mg", 1000)),
    "ml": ((1000, "l", 0.001), (0, "ml", 1)),
    "h": ((48, "d", 1 / 24), (1, "h", 1), (0, "min", 60)),
    "m²": ((10_000, "ha", 1e-4), (0, "m²", 1)),
}


def _suited(unit: str, size: float) -> tuple[str, float]:
    return next(((name, factor) for least, name, factor in _SUITED.get(unit, ()) if size >= least), (unit, 1.0))


def degrees(value: float, positive: str, negative: str) -> str:
    """47.80° N: two decimals, some kilometre, and the direction in place of a sign."""
    return f"{abs(value):.2f}° {positive if value >= 0 else negative}"


def recording_time(seconds: float | None) -> str:
    """Seconds of a recording as 12:41 or 1:02:41."""
    if seconds is None:
        return ""
    hours, rest = divmod(int(seconds), 3600)
    minutes, left = divmod(rest, 60)
    return f"{hours}:{minutes:02}:{left:02}" if hours else f"{minutes}:{left:02}"


SCHEMES = {"economic_botany": words.gettext("Economic Botany Data Collection Standard"),
           "icpc_2": words.gettext("ICPC-2, by chapters"), "emic": words.gettext("the study’s own")}  # fmt: skip


def scheme(code: str) -> str:
    """What a coding scheme is called."""
    return SCHEMES.get(code, code.replace("_", " "))


def sci(name: str, authorship: str = "", qualifier: str = "none") -> Markup:
    """A scientific name: Latin words italic, ranks and qualifiers roman, the authorship small."""
    parts = Markup(" ").join(
        Markup("<i>{}</i>").format(word) if italic else escape(word) for word, italic in written_name(name, qualifier)
    )
    if not authorship or qualifier == "sp":  # the author is the genus's, and “sp.” would stand between them
        return parts
    return parts + Markup(' <span class="auth">{}</span>').format(authorship)


def cited(item: dict[str, Any]) -> Markup:
    """A bibliographic record written out, what the style sets in italics in italics."""
    return Markup("").join(Markup("<i>{}</i>").format(text) if italic else escape(text) for text, italic in cite(item))


def terms_sentence(row: dict[str, Any]) -> str:
    """What terms of the day allow, in words."""
    given = AgreementTerms(
        row["may_record"], row["may_count"], row["may_show"], row["may_publish_aggregate"], row["may_publish_rows"]
    )
    return given.sentence()


# The two-letter codes of the shipped categories, each with a colour of its own; a study's own share six others.
_SHIPPED = frozenset({"FD", "FA", "AF", "BE", "IF", "MT", "FU", "SO", "VP", "NP", "MD", "EN", "GS"})


def hue(abbreviation: str | None) -> str:
    """The class that colours a use category; its two letters always stand beside the colour."""
    if abbreviation in _SHIPPED:
        return f"c-{abbreviation.lower()}"
    return f"c-own{sum(map(ord, abbreviation or '')) % 6}"


def leads(base: Markup, kind: str, subject: str, opened: str = "") -> Markup:
    """What makes a link of a table lead into the margin: the number of a kind, of a subject that is quoted for an address.

    `base` is the address up to it, `opened` the number that is open, quoted too. For tables of many cells, which the macro of
    single links would keep waiting.
    """
    address = f"{base}{kind}:{subject}"
    current = ' aria-current="true"' if opened == quote(f"{kind}:") + subject else ""
    return Markup(f'href="{address}" hx-get="{address}" data-margin{current}')  # noqa: S704 - both parts are escaped


def here(**changes: str | None) -> str:
    """The address of this page with some of its query changed; None takes a key away, and counting anew is asked for once."""
    query = {name: value for name, value in {**request.args.to_dict(flat=False), "now": None, **changes}.items() if value}
    path = url_for(request.endpoint or "", **(request.view_args or {}))
    return f"{path}?{urlencode(query, doseq=True)}" if query else path
