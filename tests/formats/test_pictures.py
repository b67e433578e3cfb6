"""Pictures are known by their content, drawn anew, and carry nothing of the file they came from."""

import io

import pytest
from PIL import Image, PngImagePlugin

from tender_ledger.core.messages import InputRefused
from tender_ledger.formats.pictures import LARGEST_FILE, LONGEST, SMALL, read_picture
from tests.pictures import with_position

NOT_PICTURES = {
    "nothing": b"", "words": b"not a picture", "script": b"<svg xmlns='http://www.w3.org/2000/svg'><script>1</script></svg>",
    "gif": b"GIF89a" + b"\0" * 40, "cut off": with_position("JPEG")[:300], "only its name": b"\xff\xd8\xff\xe0" + b"\0" * 60,
}  # fmt: skip


@pytest.mark.parametrize("kind", ["JPEG", "PNG", "WEBP", "TIFF"])
def test_a_picture_is_drawn_anew_without_its_metadata(kind: str):
    data = with_position(kind)
    assert b"secret camera" in data
    kept = read_picture(data)
    if kind != "TIFF":  # in which Pillow writes none
        assert kept.position is not None
        assert kept.position.latitude == pytest.approx(-12.582497, abs=1e-5)
        assert kept.position.longitude == pytest.approx(31.2, abs=1e-5)
    for drawn in (kept.whole, kept.small):
        again = Image.open(io.BytesIO(drawn))
        assert again.format == "JPEG"
        assert dict(again.getexif()) == {}
        assert not {"exif", "xmp", "icc_profile", "comment"} & {key.lower() for key in again.info}
        assert b"Exif" not in drawn
        assert b"secret" not in drawn
        assert b"12.58" not in drawn


def test_sizes_are_kept_within_bounds_and_a_turned_picture_stands_upright():
    wide = io.BytesIO()
    exif = Image.Exif()
    exif[0x0112] = 6  # turned by a quarter
    Image.new("RGB", (4000, 1000), "green").save(wide, "JPEG", exif=exif)
    kept = read_picture(wide.getvalue())
    assert (kept.width, kept.height) == (LONGEST // 4, LONGEST)
    assert max(Image.open(io.BytesIO(kept.small)).size) == SMALL
    tiny = io.BytesIO()
    Image.new("RGBA", (1, 1)).save(tiny, "PNG")
    kept = read_picture(tiny.getvalue())
    assert (kept.width, kept.height, kept.position) == (1, 1, None)


@pytest.mark.parametrize("name", NOT_PICTURES)
def test_what_is_no_picture_is_refused(name: str):
    with pytest.raises(InputRefused) as refused:
        read_picture(NOT_PICTURES[name], "leaf.jpg")
    assert refused.value.problems[0].where == "leaf.jpg"


def test_what_is_too_large_is_refused_before_it_is_unpacked():
    with pytest.raises(InputRefused, match="at most 20 MB"):
        read_picture(b"\xff\xd8" + b"\0" * LARGEST_FILE)
    bomb = io.BytesIO()
    Image.new("1", (10_000, 6_000)).save(bomb, "PNG")
    assert len(bomb.getvalue()) < 100_000
    with pytest.raises(InputRefused, match="50 million pixels"):
        read_picture(bomb.getvalue())


def test_words_in_a_picture_go_with_the_rest():
    info = PngImagePlugin.PngInfo()
    info.add_text("Comment", "secret grove")
    out = io.BytesIO()
    Image.new("RGB", (40, 40), "red").save(out, "PNG", pnginfo=info)
    assert b"secret grove" in out.getvalue()
    assert b"secret" not in read_picture(out.getvalue()).whole
