"""The views of the reckoning and their files: whole, within the terms of publication, every number with its working."""

import csv
import io
import json
import re
import sys
from urllib.parse import urljoin
from xml.etree import ElementTree

import pytest
from openpyxl import load_workbook
from pypdf import PdfReader

from tender_ledger.core.disclosure import MINIMUM_HOLDERS
from tender_ledger.core.indices.catalogue import EXPLAINED
from tender_ledger.operations import effort
from tender_ledger.web.reckoning.views import VIEWS
from tender_ledger.web.shared.mathml import mathml
from tests.conftest import GUARDIAN, OWNER, READER, SignedIn

PAGE = "/study/VELDRA/reckoning"
FIGURES = [
    ("heard", "taxa"),
    ("heard", "uses"),
    ("groups", "plane"),
    ("groups", "tree"),
    ("overuse", "families"),
]
TABLES = [
    ("indices", "importance"),
    ("indices", "composite"),
    ("indices", "agreement"),
    ("indices", "families"),
    ("heard", "taxa"),
    ("groups", "groups"),
    ("groups", "pairs"),
    ("groups", "pair-categories"),
    ("parts", "parts-category"),
    ("parts", "preparations-taxon"),
    ("holders", "tests"),
    ("overuse", "families"),
]


@pytest.mark.parametrize("view", VIEWS)
def test_every_view_opens(sign_in: SignedIn, view: str):
    client = sign_in()
    assert client.get(f"{PAGE}/{view}?group=ONS").status_code == 200
    answer = client.get(f"{PAGE}/{view}?rules=preset-use-values")
    assert answer.status_code == 200
    kinds = set(re.findall(r"margin=(\w+)", answer.text))
    if view in ("indices", "heard", "groups"):
        assert {"indices": {"cv", "ri", "fl", "ud", "csi"}, "heard": {"chao2", "coverage"},
                "groups": {"jaccard", "permanova"}}[view] <= kinds  # fmt: skip


SCREENS = [*(f"/{view}{'?rules=preset-use-values' if view == 'compare' else ''}" for view in VIEWS if view != "matrix"),
           "/lists?category=medicines", "", "?show=categories", "?group=ONS&with=KEL",
           "?group=ONS&with=KEL&show=categories"]  # fmt: skip


@pytest.mark.parametrize("screen", SCREENS)
def test_every_number_of_a_screen_is_taken_apart_down_to_its_reports(sign_in: SignedIn, screen: str):
    client, of = sign_in(), {}
    page = client.get(f"{PAGE}{screen}").text
    for cell in re.findall(r'<td class="num[^"]*">(.*?)</td>', page, re.DOTALL):
        assert cell.strip() == "–" or "data-margin" in cell, cell
        told = re.sub(r"<svg.*?</svg>|<[^>]+>|[^0-9]", "", cell, flags=re.DOTALL).strip(
            "0"
        )  # what is nothing has no reports behind it
        for address, kind in re.findall(r'href="([^"]*?margin=([\w/]+)[^"]*)"', cell if told else ""):
            of.setdefault(kind, address.replace("&amp;", "&"))
    assert of
    for kind, address in of.items():
        alone = {"HX-Request": "true", "HX-Target": "aside#margin"}
        margin = client.get(urljoin(f"{PAGE}{screen}", address), headers=alone).text
        assert "<main" not in margin
        assert '<div class="working"><math' in margin or '<div class="working">\n<math' in margin, (kind, address)
        assert "Misleads" in margin, kind
        assert "Source:" in margin, kind
        if screen.startswith("/lists"):  # nothing but the lists lies behind
            assert "Made of" in margin, kind
            continue
        counted = re.search(r"<h3>(\d+) records? counted", margin)
        assert counted, (kind, address)
        assert int(counted[1]) > 0, (kind, address)
        assert "encounter " in margin, kind


def test_the_working_puts_the_counts_in(sign_in: SignedIn):
    page = sign_in().get(f"{PAGE}/indices?margin=cv:composite:Sambucus%20nigra").text
    numbers = re.findall(r"<mn>([\d.]+)</mn>", page[page.index('class="working"') :])
    nu, nc, fc, n, ur, again = (float(one) for one in numbers[:6])
    shown = re.search(r"<p>= <b>([\d.]+)</b></p>", page)[1]
    assert n == again
    assert float(shown) == pytest.approx(nu / nc * fc / n * ur / n, abs=0.0006)


@pytest.mark.parametrize(("view", "block"), FIGURES)
def test_figures_come_as_svg_and_pdf_with_their_caption(sign_in: SignedIn, view: str, block: str):
    client = sign_in()
    svg = ElementTree.fromstring(client.get(f"{PAGE}/{view}/{block}.svg").get_data())  # noqa: S314 - it is our own
    words = " ".join("".join(one.itertext()) for one in svg.iter("{http://www.w3.org/2000/svg}text"))
    assert "Counting one report" in words
    assert "no advice" in words
    assert "2026" in words
    reader = PdfReader(io.BytesIO(client.get(f"{PAGE}/{view}/{block}.pdf").get_data()))
    assert len(reader.pages) == 1
    assert "noadvice" in reader.pages[0].extract_text().replace(" ", "")  # the reader loses some spaces


@pytest.mark.parametrize(("view", "block"), TABLES)
def test_tables_come_as_csv_workbook_and_page_alike(sign_in: SignedIn, view: str, block: str):
    client = sign_in()
    rows = list(csv.DictReader(io.StringIO(client.get(f"{PAGE}/{view}/{block}.csv").text)))
    book = load_workbook(io.BytesIO(client.get(f"{PAGE}/{view}/{block}.xlsx").get_data()))
    page = client.get(f"{PAGE}/{view}/{block}.html").text
    assert len(rows) == book["values"].max_row - 1 == page.count("<tr>") - 1 > 0


def test_files_hold_no_small_cells_and_no_single_holders(sign_in: SignedIn):
    client = sign_in()
    rows = list(csv.DictReader(io.StringIO(client.get(f"{PAGE}/indices/importance.csv").text)))
    assert min(float(row["fc"]) for row in rows) >= MINIMUM_HOLDERS
    assert client.get(f"{PAGE}/holders/each.csv").status_code == 404
    assert client.get(f"{PAGE}/matrix/matrix.svg").status_code == 404
    assert client.get(f"{PAGE}/heard/nothing.svg").status_code == 404
    assert sign_in(READER).get(f"{PAGE}/heard/taxa.svg").status_code == 403
    for block in ("age", "years", "gender", "community"):
        refused = client.get(f"{PAGE}/holders/{block}.svg")
        assert (refused.status_code, "ONS-" in refused.text, "given out as no file" in refused.text) == (422, False, True)


@pytest.mark.parametrize(("view", "block", "column"), [("heard", "uses", "expected"), ("groups", "tree", "height")])
def test_what_a_figure_draws_comes_as_its_data(sign_in: SignedIn, view: str, block: str, column: str):
    rows = list(csv.DictReader(io.StringIO(sign_in().get(f"{PAGE}/{view}/{block}.data").text)))
    assert len(rows) > 1
    assert all(float(row[column]) >= 0 for row in rows)


def test_what_names_no_preparation_is_counted_beside_the_preparation_none(sign_in: SignedIn):
    rows = list(csv.DictReader(io.StringIO(sign_in().get(f"{PAGE}/parts/preparations-community.csv").text)))
    assert all(float(row["none"]).is_integer() for row in rows if row["none"])
    shown = [row for row in rows if row["preparation_none"]]
    assert shown
    assert all(0 <= float(row["preparation_none_low"]) <= float(row["preparation_none"]) <= 1 for row in shown)


@pytest.mark.usefixtures("beside")
def test_intervals_that_take_long_are_offered_and_then_waited_for(sign_in: SignedIn, monkeypatch: pytest.MonkeyPatch):
    client = sign_in()
    assert client.get(PAGE).text.count('<svg class="interval"') > 100
    monkeypatch.setattr(effort, "of_uncertainty", lambda _size, _replicates: 60.0)
    for asked in ("group=KEL&rules=preset-use-values", "group=ONS&with=TAR&rules=preset-use-values"):
        page = client.get(f"{PAGE}?{asked}").text
        assert '<svg class="interval"' not in page
        offered = re.search(r'<a href="([^"]*sure=yes[^"]*)">Compute the intervals</a>', page)[1].replace("&amp;", "&")
        assert "Being computed beside this page" in client.get(urljoin(PAGE, offered)).text
    assert "Being computed beside this page" in client.get(f"{PAGE}/compare?rules=preset-events").text
    assert client.get(f"{PAGE}/compare/plants.csv?rules=preset-events").status_code == 422  # by the rules in force alone
    assert client.get(f"{PAGE}/indices/importance.csv?group=KEL").status_code == 503


def test_the_ladder_comes_as_a_page_for_print(sign_in: SignedIn):
    reader = PdfReader(io.BytesIO(sign_in().get(f"{PAGE}/ladder.pdf?index=ci").get_data()))
    assert len(reader.pages) == 1
    assert "Sambucusnigra" in reader.pages[0].extract_text().replace(" ", "")


def test_a_large_matrix_is_painted(sign_in: SignedIn, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setattr(sys.modules["tender_ledger.web.reckoning.views.holders"], "MOST_CELLS", 10)
    page = sign_in().get(f"{PAGE}/matrix").text
    held = json.loads(re.search(r'id="matrix-cells">(.+?)</script>', page)[1])
    assert len(held["cells"]) == len(held["holders"]) > 10
    assert "<canvas data-matrix" in page


def test_a_guardian_takes_out_what_is_of_the_own_community_whoever_asked_before(sign_in: SignedIn):
    of = {}
    for email in (OWNER, GUARDIAN, OWNER):
        for block in ("heard/taxa.csv", "indices/importance.csv"):
            of.setdefault((email, block), []).append(sign_in(email).get(f"{PAGE}/{block}").text)
    for block in ("heard/taxa.csv", "indices/importance.csv"):
        first, again = of[OWNER, block]
        assert first == again
        assert of[GUARDIAN, block][0] != first
    heard = next(csv.DictReader(io.StringIO(of[GUARDIAN, "heard/taxa.csv"][0])))
    assert int(float(heard["T"])) <= 13  # the holders of Kelvasund


def test_the_answers_of_a_culture_are_taken_out(sign_in: SignedIn):
    client = sign_in()
    rows = list(csv.DictReader(io.StringIO(client.get(f"{PAGE}/questionnaires/1/key.csv").text)))
    assert len(rows) == 12
    assert {row["answer"] for row in rows} == {"yes", "no"}
    assert load_workbook(io.BytesIO(client.get(f"{PAGE}/questionnaires/1/key.xlsx").get_data()))["values"].max_row == 13
    assert sign_in(READER).get(f"{PAGE}/questionnaires/1/key.csv").status_code == 403


def test_groups_of_two_periods_are_asked_for_their_day(sign_in: SignedIn):
    client = sign_in()
    assert "from which day on" in client.get(f"{PAGE}/groups?by=period").text
    page = client.get(f"{PAGE}/groups?by=period&since=2026-08-01").text
    assert "<h1>Groups of holders by when it was told</h1>" in page
    assert "before 1 August 2026 and since 1 August 2026" in page


def test_every_formula_is_read_whole():
    for key, one in EXPLAINED.items():
        drawn = str(mathml(one.formula))
        assert drawn.startswith("<math"), key
        for name, _meaning in one.meanings:
            assert name.partition("_")[0] in drawn, (key, name)
    put = str(mathml("CV = frac(NU; NC) · frac(FC; N)", {"NU": "2", "N": "8"}))
    assert "<mn>2</mn></mrow><mrow><mi>NC</mi>" in put
    with pytest.raises(ValueError, match="ends before"):
        mathml("frac(a; b ; c")


def test_rules_in_full_stand_in_the_address(sign_in: SignedIn):
    client = sign_in()
    page = client.get(f"{PAGE}?mixtures=own_taxon&undetermined=lump&nc=13&currency=current&tried=yes&basis=own").text
    assert "a mixture as a taxon of its own" in page
    assert "NC = 13 of the protocol" in page
    assert client.get(f"{PAGE}?mixtures=stirred").status_code in (400, 422)
    made = client.post(f"{PAGE}/rules/kept?mixtures=share", data={"name": "Shares"})
    assert made.status_code == 303
    assert "Shares" in client.get(f"{PAGE}/rules").text
    assert client.post(f"{PAGE}/rules/kept?mixtures=share", data={"name": "Shares"}).status_code == 422


def test_floras_questionnaires_and_frozen_reckonings_are_kept_and_shown(sign_in: SignedIn):
    client = sign_in()
    wrong = client.post(f"{PAGE}/floras", data={"name": "Bad", "file": (io.BytesIO(b"family,flora\nPoaceae,x\n"), "f.csv")})
    assert (wrong.status_code, "flora, line 2" in wrong.text) == (422, True)
    made = client.post(f"{PAGE}/questionnaires", data={"title": "New", "alternatives": "2", "questions": "Is it?\nWas it?"})
    page = client.get(made.location).text
    assert "Is it?" in page
    assert client.post(f"{made.location}/answers", data={"informant": "NOBODY", "answer": ["yes", "no"]}).status_code == 422
    assert client.post(f"{made.location}/answers", data={"informant": "ONS-02", "answer": ["yes", ""]}).status_code == 303
    frozen = client.post(f"{PAGE}/frozen", data={"name": "For the paper"})
    assert "Nothing was done" not in client.get(frozen.location).text
    assert re.search(r"<code>[0-9a-f]{16}</code>", client.get(frozen.location).text)
    scored = client.post(f"{PAGE}/scores", data={"taxon": "Fagus sylvatica", "category": "food", "food-management": "2",
                                                 "food-preference": "1", "food-frequency": "2"})  # fmt: skip
    assert scored.status_code == 303


def test_a_questionnaire_is_corrected_and_loses_no_answer(sign_in: SignedIn):
    client = sign_in()
    made = client.post(
        f"{PAGE}/questionnaires", data={"title": "Nww", "alternatives": "2", "questions": "Is it?\nWas it?"}
    ).location
    page = client.get(made).text
    version = re.search(r'name="version" value="(\d+)"', page)[1]
    done = client.post(made, data={"version": version, "title": "New", "questions": "Is it so?\nWas it?\nWill it be?"})
    assert done.status_code == 303
    page = client.get(made).text
    assert "<h1>New</h1>" in page
    assert "Will it be?" in page
    late = client.post(made, data={"version": version, "title": "Other", "questions": "Is it so?"})
    assert (late.status_code, "changed the questionnaire meanwhile" in late.text) == (409, True)
    answered = f"{PAGE}/questionnaires/1"
    version = re.search(r'name="version" value="(\d+)"', client.get(answered).text)[1]
    short = client.post(answered, data={"version": version, "title": "Kept", "questions": "One only?"})
    assert (short.status_code, "12 questions are answered, and 1 stand here" in short.text) == (422, True)
    assert "One only?" in short.text  # as it was typed
    assert sign_in(READER).post(answered, data={"title": "x", "questions": "y"}).status_code == 403


def test_what_a_culture_answers_is_taken_apart_to_single_answers(sign_in: SignedIn):
    client = sign_in()
    page = client.get(f"{PAGE}/questionnaires/1").text
    of = {kind: address.replace("&amp;", "&") for address, kind in re.findall(r'href="([^"]*?margin=(\w+)[^"]*)"', page)}
    kinds = ("posterior", "competence", "ratio", "meancompetence")
    assert set(of) == set(kinds)
    posterior, competence, ratio, mean = (client.get(f"{PAGE}/questionnaires/1{of[kind]}").text for kind in kinds)
    assert "Competences of fewer than 40 questions have no interval" in page
    assert all("95 % of the resamples of the questions" not in margin for margin in (competence, ratio, mean))
    assert "D = 0." in posterior
    assert "share of answers: yes" in posterior
    assert "M* with " in competence
    assert "mean M* with everybody counted" in competence


def test_a_frozen_reckoning_is_taken_apart_and_given_out(sign_in: SignedIn):
    client = sign_in()
    at = client.post(f"{PAGE}/frozen", data={"name": "For print"}).location
    page = client.get(at).text
    assert not [cell for cell in re.findall(r'<td class="num">(.*?)</td>', page, re.DOTALL)
                if cell.strip() != "–" and "data-margin" not in cell]  # fmt: skip
    margin = client.get(f"{at}?margin=cithen:values:Sambucus%20nigra").text
    shown = float(re.search(r"<p>= <b>([\d.]+)</b></p>", margin)[1])
    ur, n = (float(one) for one in re.findall(r"<mn>([\d.]+)</mn>", margin[margin.index('class="working"') :])[:2])
    assert shown == pytest.approx(ur / n, abs=0.0006)
    assert re.search(r"<h3>\d+ records counted", margin)
    rows = list(csv.DictReader(io.StringIO(client.get(f"{at}/values.csv").text)))
    assert min(float(row["fc"]) for row in rows) >= MINIMUM_HOLDERS
    assert all(float(row["ci_low"]) <= float(row["ci_high"]) for row in rows)
    fingerprint = re.search(r"<code>([0-9a-f]{16})</code>", page)[1]
    typeset = client.get(f"{at}/categories.html").text
    assert fingerprint in typeset
    assert typeset.count("<tr>") == load_workbook(io.BytesIO(client.get(f"{at}/categories.xlsx").get_data()))["values"].max_row
    assert client.get(f"{at}/moved.csv").status_code == 404
    assert sign_in(READER).get(f"{at}/values.csv").status_code == 403
    assert sign_in(GUARDIAN).get(f"{at}/values.csv").status_code == 422  # of all communities, not of the own alone
