"""Limits and what a guardian holds back, through the pages."""

import re

from flask import Flask

from tests.conftest import GUARDIAN, OWNER, READER, RECORDER, SignedIn

COMMUNITY = "/study/VELDRA/people/communities/KEL"


def report_of(app: Flask, sign_in: SignedIn, code: str) -> str:
    page = sign_in(OWNER).get(f"/study/VELDRA/people/holders/{code}").text
    found = re.search(r"#r(\d+)", page)
    assert found is not None
    return found[1]


def test_a_guardian_holds_a_report_back_from_its_own_page_and_releases_it(app: Flask, sign_in: SignedIn):
    guardian, reader, number = sign_in(GUARDIAN), sign_in(READER), report_of(app, sign_in, "KEL-05")
    page = guardian.get(f"/study/VELDRA/reports/{number}").text
    link = re.search(r'href="([^"]+)">Hold it back', page)
    assert link is not None
    assert "Hold it back" not in reader.get(f"/study/VELDRA/reports/{number}").text
    form = guardian.get(link[1].replace("&amp;", "&")).text
    assert f'name="report" type="text" value="{number}"' in form
    told = {"refuses": "show", "report": number, "category": "", "plant": "", "reason": "ours alone"}
    assert guardian.post(f"{COMMUNITY}/restrictions", data={**told, "reason": ""}).status_code == 422
    assert guardian.post(f"{COMMUNITY}/restrictions", data=told).status_code == 303
    assert reader.get(f"/study/VELDRA/reports/{number}").status_code == 404
    listed = guardian.get(COMMUNITY).text
    assert f"report {number}, of P-" in listed
    for other in (OWNER, RECORDER, READER):
        assert "ours alone" not in sign_in(other).get(COMMUNITY).text
    release = re.search(r'action="(/study/VELDRA/people/restrictions/\d+/release)"', listed)
    assert release is not None
    assert guardian.post(release[1], data={"version": "1", "back": COMMUNITY}).location == COMMUNITY
    assert reader.get(f"/study/VELDRA/reports/{number}").status_code == 200


def test_an_agreement_with_an_exception_says_so_on_the_holders_page(sign_in: SignedIn):
    client = sign_in(RECORDER)
    page = client.get("/study/VELDRA/people/holders/KEL-05").text
    assert "except medicines, not to be quoted" in page
    category = re.search(r'<option value="(\d+)">social uses', page)
    assert category is not None
    told = {"agreed_on": "2026-07-01", "form": "oral", "may_record": "y", "may_count": "y", "may_show": "y",
            "limits-0-refuses": "count", "limits-0-category": category[1], "limits-0-plant": "",
            "limits-1-refuses": "show", "limits-1-category": "", "limits-1-plant": "P-9999"}  # fmt: skip
    wrong = client.post("/study/VELDRA/people/holders/KEL-05/agreements", data=told)
    assert (wrong.status_code, "The study has no plant “P-9999”" in wrong.text) == (422, True)
    assert 'value="P-9999"' in wrong.text
    assert client.post("/study/VELDRA/people/holders/KEL-05/agreements", data={**told, "limits-1-plant": ""}).status_code == 303
    assert "except social uses, not to be counted" in client.get("/study/VELDRA/people/holders/KEL-05").text
    assert "Some informants left uses of a category" in client.get("/study/VELDRA/reckoning").text
