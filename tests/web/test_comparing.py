"""Pages and files of the reckoning: each community's own values side by side, filters in the address, the ladder as files."""

import csv
import io
import re
import xml.etree.ElementTree as ElementTree

import numpy as np
import pytest

from tender_ledger.core.disclosure import MINIMUM_HOLDERS
from tender_ledger.core.indices.ranking import values_of_taxa
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.terms import Purpose
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.storage.database import run
from tender_ledger.web.reckoning.ladder_files import HUES
from tests.conftest import REFERENCE, SignedIn, scope_for

PAGE = "/study/VELDRA/reckoning"
CELLS = re.compile(r"<t[hd][^>]*>(.*?)</t[hd]>", re.S)


def text_of(html: str) -> str:
    return " ".join(re.sub(r"<[^>]+>", " ", html).split())


def table(html: str) -> list[list[str]]:
    """The cells of the page's first table, row by row."""
    body = html.partition("<tbody>")[2].partition("</tbody>")[0]
    return [[text_of(cell) for cell in CELLS.findall(row)] for row in body.split("<tr")[1:]]


@pytest.mark.parametrize("index", ["rfc", "ci", "uv"])
def test_side_by_side_gives_each_communitys_own_values_and_their_difference(sign_in: SignedIn, index: str):
    html = sign_in().get(f"{PAGE}?group=ONS&with=TAR&index={index}").text
    whole = reckon_study(scope_for(), CountingRules()).result
    first, second = whole.by_community["ONS"], whole.by_community["TAR"]
    assert f"N = {first.n}" in html
    assert f"N = {second.n}" in html
    rows = table(html)
    assert len(rows) == int((first.told | second.told).sum())
    a, b = values_of_taxa(first)[index], values_of_taxa(second)[index]
    for cells in rows:
        at = next(at for at, taxon in enumerate(whole.taxa) if cells[0].startswith(taxon))
        assert [cells[2], cells[3], cells[5], cells[6]] == [
            str(first.fc[at]), f"{a[at]:.2f}", f"{b[at]:.2f}", str(second.fc[at])
        ]  # fmt: skip
        gap, _percent, ends = cells[8].partition(" 95 %: ")
        assert float(gap.replace("−", "-").replace("±", "")) == pytest.approx(a[at] - b[at], abs=0.0051)
        assert bool(ends) == (first.fc[at] + second.fc[at] >= 5), cells
        if not ends:
            continue
        low, high = (float(end.replace("−", "-")) for end in ends.split(" to "))
        assert low <= float(gap.replace("−", "-").replace("±", "")) + 0.006
        assert high >= float(gap.replace("−", "-").replace("±", "")) - 0.006


def test_agreement_side_by_side_gives_each_communitys_own(sign_in: SignedIn):
    rows = table(sign_in().get(f"{PAGE}?show=categories&group=ONS&with=KEL").text)
    whole = reckon_study(scope_for(), CountingRules()).result
    first, second = whole.by_community["ONS"], whole.by_community["KEL"]
    assert len(rows) == int(((first.nur > 0) | (second.nur > 0)).sum())
    found = " ".join(" ".join(row) for row in rows)
    for r in (first, second):
        for icf in r.icf[~np.isnan(r.icf)]:
            assert f"{icf:.2f}" in found


@pytest.mark.parametrize(
    ("asked", "sentence"),
    [
        ("family=Lamiaceae", "those of Lamiaceae."),
        ("category=food&part=leaf", "told for food with the leaf"),
        ("community=TAR", "told in Tarrowby"),
        (
            "family=Lamiaceae&category=medicines&part=leaf&community=ONS",
            "of Lamiaceae, told for medicines with the leaf in Onsmere.",
        ),
    ],
)
def test_a_filter_is_a_sentence_and_changes_no_value(sign_in: SignedIn, asked: str, sentence: str):
    client = sign_in()
    everything = {row[1]: row for row in table(client.get(PAGE).text)}
    html = client.get(f"{PAGE}?{asked}").text
    some = {row[1]: row for row in table(html)}
    assert 0 < len(some) < len(everything)
    assert all(everything[plant] == cells for plant, cells in some.items())
    shown = text_of(html.partition('<p class="shown">')[2].partition("</p>")[0])
    assert shown.startswith(f"Showing {len(some)} of {len(everything)} plants")
    assert sentence in shown
    n = re.search(r"N = \d+", client.get(PAGE).text)
    assert n
    assert n[0] in html


def test_a_filter_that_nothing_meets_says_so(sign_in: SignedIn):
    html = sign_in().get(f"{PAGE}?family=Lamiaceae&part=no_such_part").text
    assert "No report that counts meets this filter." in html


def test_the_ladders_data_holds_only_what_may_be_published(sign_in: SignedIn):
    lines = list(csv.DictReader(io.StringIO(sign_in().get(f"{PAGE}/ladder.csv?index=ci").text)))
    r = reckon_study(scope_for(), CountingRules(), purpose=Purpose.PUBLISHED).result
    enough = {r.taxa[at] for at in np.flatnonzero(r.fc >= MINIMUM_HOLDERS)}
    assert {one["taxon"] for one in lines} < enough
    assert len(lines) > 0.7 * len(enough)
    assert {one["N"] for one in lines} == {str(r.n)}
    fixed = ("rank", "taxon", "family", "index", "value", "reports", "told_by", "N", "counted", "holders", "note",
             "other_categories", "low_95", "high_95", "first_ten")  # fmt: skip
    for one in lines:
        at = r.taxa.index(one["taxon"])
        assert float(one["value"]) == pytest.approx(r.ci[at])
        told = {name: int(cell) for name, cell in one.items() if name not in fixed and cell}
        assert sum(told.values()) + int(one["other_categories"] or 0) == r.ur[at] == int(one["reports"])
        assert all(count >= MINIMUM_HOLDERS for count in told.values())
        assert ("no advice" in one["note"], one["holders"]) == (True, "chosen by snowball")


def test_the_drawn_file_stands_alone_and_says_what_it_is(sign_in: SignedIn):
    text = sign_in().get(f"{PAGE}/ladder.svg?group=ONS&index=rfc").text
    root = ElementTree.fromstring(text)  # noqa: S314 — the application's own answer
    assert root.tag == "{http://www.w3.org/2000/svg}svg"
    assert "class=" not in text
    assert not re.findall(r"(?:href|src)=|url\(", text)
    words = " ".join("".join(root.itertext()).split())
    r = reckon_study(scope_for(), CountingRules(), purpose=Purpose.PUBLISHED).result.by_community["ONS"]
    assert f"N = {r.n}" in words
    assert "Onsmere" in words
    drawn = len(root.findall(".//{http://www.w3.org/2000/svg}circle"))
    assert 0 < drawn < int((r.fc >= MINIMUM_HOLDERS).sum())
    told = int(r.told.sum())
    assert f"{told - drawn} plants are left out" in words


def test_files_of_a_community_that_is_not_there_are_not_there(sign_in: SignedIn):
    for address in (f"{PAGE}/ladder.csv?group=NOWHERE", f"{PAGE}/ladder.pdf"):
        answer = sign_in().get(address)
        assert answer.status_code == 404 or b"NOWHERE" not in answer.get_data()


def test_who_withdraws_publication_leaves_the_file_at_once(sign_in: SignedIn):
    client = sign_in()
    before = next(csv.DictReader(io.StringIO(client.get(f"{PAGE}/ladder.csv").text)))["N"]
    run("""UPDATE consent SET may_publish_aggregate = false, may_publish_rows = false, may_publish_verbatim = false
           WHERE holder_id = (SELECT id FROM holder WHERE code = 'ONS-01')""")  # fmt: skip
    run("UPDATE study SET revision = revision + 1")  # as every act does
    after = next(csv.DictReader(io.StringIO(client.get(f"{PAGE}/ladder.csv").text)))["N"]
    assert int(after) == int(before) - 1


def test_the_colours_in_a_file_are_those_of_the_light_page():
    styles = (REFERENCE.parents[1] / "assets").glob("*.css")
    css = "".join(file.read_text() for file in styles).partition("prefers-color-scheme: dark")[0].lower()
    for code, colour in HUES.items():
        assert re.search(rf"--cat-{code.lower()}: {colour};", css), code
