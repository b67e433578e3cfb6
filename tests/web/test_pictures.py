"""Pictures of plants through the pages: what stood in the metadata is in no answer and nowhere in the database."""

import io
import re
import struct

import pytest
from flask import Flask
from PIL import Image

from tender_ledger.operations import pictures, reports
from tender_ledger.operations.typed_report import TypedReport
from tender_ledger.storage.database import rows, value
from tender_ledger.storage.queries import pictures as queries
from tests.conftest import OWNER, READER, RECORDER, REVIEWER, SignedIn
from tests.factories import SmallStudy
from tests.pictures import with_position
from tests.web.test_routes import routes

# The position as rational numbers of Exif, in both orders of bytes, and as it may be written out.
TRACES = [struct.pack(order + "II", 56_990_000, 1_000_003) for order in "<>"] + [
    b"12.5824", b"12.58\xc2\xb0", b"12,34.9", b"56.99", b"secret camera", b"GPS",
]  # fmt: skip


def bring(app: Flask, sign_in: SignedIn, kind: str = "JPEG", **more: str) -> str:
    form = {"file": (io.BytesIO(with_position(kind)), "leaf.jpg"), "caption": "a leaf", **more}
    answer = sign_in(RECORDER).post("/study/VELDRA/plants/4/pictures", data=form)
    assert answer.status_code == 303, answer.text
    return str(value("SELECT max(id) FROM picture"))


@pytest.mark.parametrize("kind", ["JPEG", "PNG", "WEBP"])
def test_no_answer_and_no_row_holds_the_position_of_a_picture(app: Flask, sign_in: SignedIn, kind: str):
    assert any(trace in with_position(kind) for trace in TRACES[:2])
    number = bring(app, sign_in, kind)
    client = sign_in(OWNER)
    read = 0
    for _endpoint, method, address in [
        *routes(app),
        ("", "GET", f"/study/VELDRA/plants/pictures/{number}/whole.jpg"),
        ("", "GET", f"/study/VELDRA/plants/pictures/{number}/small.jpg"),
        ("", "GET", f"/study/VELDRA/history/picture/{number}"),
        ("", "GET", "/study/VELDRA/plants/4"),
    ]:
        if method == "GET":
            data = client.get(address).get_data()
            read += 1
            assert [trace for trace in TRACES if trace in data and trace != b"GPS"] == [], address
    assert read > 50
    kept = rows("SELECT whole, small FROM picture_data ORDER BY picture_id DESC LIMIT 1")[0]
    for data in (bytes(kept["whole"]), bytes(kept["small"])):
        assert [trace for trace in TRACES if trace in data] == []
    assert rows("SELECT DISTINCT latitude, longitude FROM picture") == [{"latitude": None, "longitude": None}]
    assert "12.58" not in str(rows("SELECT after FROM change WHERE entity = 'picture'"))


def test_the_position_is_kept_where_it_may_be_told(app: Flask, sign_in: SignedIn):
    bring(app, sign_in, with_position="y")
    assert "12.58° S, 31.20° E" in sign_in(READER).get("/study/VELDRA/plants/4").text


def test_a_picture_has_a_fixed_type_is_taken_back_and_undone(app: Flask, sign_in: SignedIn):
    number = bring(app, sign_in, "PNG", client_key="7b0f7c9e-6f0a-4c0e-9a53-0f6a3a8f4a99")
    assert bring(app, sign_in, "PNG", client_key="7b0f7c9e-6f0a-4c0e-9a53-0f6a3a8f4a99") == number
    client, address = sign_in(RECORDER), f"/study/VELDRA/plants/pictures/{number}/small.jpg"
    answer = client.get(address)
    assert (answer.status_code, answer.mimetype) == (200, "image/jpeg")
    assert answer.headers["X-Content-Type-Options"] == "nosniff"
    assert "private" in answer.headers["Cache-Control"] or "no-store" in answer.headers["Cache-Control"]
    assert Image.open(io.BytesIO(answer.data)).size == (320, 200)
    assert f'src="{address}" alt="a leaf"' in client.get("/study/VELDRA/plants/4").text
    assert client.get(address.replace("small", "original")).status_code == 404
    assert client.post(f"/study/VELDRA/plants/pictures/{number}/remove", data={"version": "1"}).status_code == 303
    assert client.get(address).status_code == 404
    undo = re.search(r'action="(/study/VELDRA/history/\d+/undo)"', client.get("/study/VELDRA/history").text)
    assert undo is not None
    assert client.post(undo[1]).status_code == 303
    assert client.get(address).status_code == 200


def test_what_is_no_picture_stays_out_with_a_sentence(app: Flask, sign_in: SignedIn, monkeypatch: pytest.MonkeyPatch):
    client = sign_in(RECORDER)
    for data, sentence in ((b"<script>1</script>", "This is no picture that can be read."), (b"", "Choose a picture")):
        form = {"file": (io.BytesIO(data), "leaf.jpg"), "caption": "kept caption"}
        answer = client.post("/study/VELDRA/plants/4/pictures", data=form)
        assert (answer.status_code, sentence in answer.text, "kept caption" in answer.text) == (422, True, True)
    monkeypatch.setattr("tender_ledger.web.plants.routes.LARGEST_FILE", 100_000)
    large = client.post("/study/VELDRA/plants/4/pictures", data={"file": (io.BytesIO(b"\xff" * 200_000), "a.jpg")})
    assert large.status_code == 413
    assert sign_in(REVIEWER).get("/study/VELDRA/plants/4").text.count("<figure>") == 1  # the one of the demo


def test_a_picture_is_hidden_with_its_plant(empty_db: str):
    small = SmallStudy()
    teller = small.holder("X-01", may_show=False, may_publish_verbatim=False)
    typed = TypedReport(informant="X-01", plant="+ secretly", category="food")
    reports.record_report(small.scope, small.encounter(teller), typed, "00000000-0000-4000-8000-000000000001")
    number = int(value("SELECT number FROM plant"))
    made = pictures.keep_picture(small.scope, number, with_position("JPEG"))
    assert queries.picture(small.scope, made) is not None
    assert queries.picture(small.person("reviewer"), made, size="whole") is None
