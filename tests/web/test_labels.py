"""The label sheet: a PDF with the right pages, fonts and words, and no name that its tellers keep among the team."""

import io
import re
from datetime import date

import pytest
from pypdf import PdfReader

from tender_ledger.formats.printing import print_pdf
from tender_ledger.operations import people, plants, specimens
from tender_ledger.operations.errors import Refused
from tender_ledger.storage.database import value
from tender_ledger.storage.queries import people as people_queries
from tests.conftest import OWNER, READER, RECORDER, SignedIn
from tests.factories import SmallStudy

SHEET = "/study/VELDRA/plants/specimens/labels.pdf"
MM = 72 / 25.4


def sheet(sign_in: SignedIn, query: str, email: str = OWNER) -> PdfReader:
    answer = sign_in(email).get(f"{SHEET}?{query}")
    assert (answer.status_code, answer.mimetype) == (200, "application/pdf")
    return PdfReader(io.BytesIO(answer.data))


def test_a_sheet_holds_eight_labels_a_page_and_what_a_herbarium_needs(sign_in: SignedIn):
    pdf = sheet(sign_in, "chosen=1&chosen=2&copies=5")
    assert [[round(float(side) / MM) for side in page.mediabox[2:]] for page in pdf.pages] == [[210, 297]] * 2  # ISO 216, A4
    texts = [re.sub(r"\s+", " ", page.extract_text()) for page in pdf.pages]
    assert [len(re.findall("Veldra Hills", text)) for text in texts] == [8, 2]
    for said in ("Sambucus nigra L.", "Viburnaceae. Det. I. Tarn", "Hedge above Onsmere", "I. Tarn 12", "4 May 2026", "P-001",
                 "Veldra Institute; duplicates: hall of Onsmere", "ŋelʷa (Onsic)"):  # fmt: skip
        assert texts[0].count(said) == 5, said
    fonts = [font.get_object() for page in pdf.pages for font in page["/Resources"]["/Font"].values()]
    assert {str(font["/BaseFont"]).split("+")[1] for font in fonts} == {
        "Gentium-Plus",
        "Gentium-Plus-Italic",
        "Gentium-Plus-Bold",
        "Noto-Sans",
    }


def test_who_may_not_export_gets_a_label_without_names_that_people_told(sign_in: SignedIn):
    text = sheet(sign_in, "chosen=1", RECORDER).pages[0].extract_text()
    assert ("Sambucus nigra" in text, "ŋelʷa" in text) == (True, False)


def test_the_other_paper(sign_in: SignedIn):
    pdf = sheet(sign_in, "chosen=1&paper=letter&copies=nine")
    assert [float(side) for side in pdf.pages[0].mediabox[2:]] == [612, 792]  # ANSI A
    assert pdf.pages[0].extract_text().count("Sambucus") == 1


def test_without_a_choice_or_the_right_there_is_no_sheet(sign_in: SignedIn):
    none = sign_in(OWNER).get(SHEET)
    assert (none.status_code, "Choose the specimens that need a label." in none.text) == (422, True)
    assert sign_in(READER).get(f"{SHEET}?chosen=1").status_code == 403
    assert 'name="chosen"' not in sign_in(READER).get("/study/VELDRA/plants/specimens").text


def test_a_name_stands_on_a_label_only_where_it_may_be_published_as_spoken(empty_db: str):
    small = SmallStudy()
    number = small.plant("Salix caprea")
    narrow = {"may_publish_aggregate": False, "may_publish_verbatim": False}
    terms = {"X-01": {}, "X-02": {"may_publish_verbatim": False}, "X-03": narrow}
    talk = {code: small.holder(code, **agreed) for code, agreed in terms.items()}
    small.encounter(*talk.values())
    met = int(value("SELECT max(id) FROM encounter"))
    for code, name in (("X-01", "spoken"), ("X-02", "counted"), ("X-03", "kept")):
        plants.name_plant(small.scope, number, name=name, language_id=None, attested=[(talk[code], met, None)])
    plants.name_plant(small.scope, number, name="of the team", language_id=None)
    kept = {"collector": "I. Tarn", "number": "1"}
    made = specimens.add_specimen(small.scope, number, kept)
    (label,) = specimens.specimen_labels(small.scope, {made})
    assert [name for name, _language in label["told"]] == ["spoken", "of the team"]
    with pytest.raises(Refused, match="Choose"):
        specimens.specimen_labels(small.scope, {made + 1})
    people.withdraw_agreement(small.scope, *agreement_of(small, "X-01"), date(2026, 6, 1))
    assert [name for name, _language in specimens.specimen_labels(small.scope, {made})[0]["told"]] == ["of the team"]


def agreement_of(small: SmallStudy, code: str) -> tuple[int, int]:
    holder = people_queries.holder(small.scope, code)
    assert holder is not None
    given = people_queries.agreements(small.scope, holder_id=holder["id"])[0]
    return given["id"], given["version"]


def test_nothing_is_fetched_for_print():
    with pytest.raises(ValueError, match="what is not theirs: font:Missing"):
        print_pdf("<style>@font-face { font-family: A; src: url(font:Missing.woff2) } p { font-family: A }</style><p>a", {})
    with pytest.raises(ValueError, match="file:///"):
        print_pdf('<img src="file:///etc/hostname">', {})
