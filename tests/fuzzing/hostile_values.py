"""What a hostile or clumsy client may send in a path, a query, a field of a form, or a file."""

import io
import json
import random
import struct
import zipfile
import zlib
from collections.abc import Callable

DIGITS = "9" * 5_000
LONG_WORDS = "one hundred " * 2_000
TEXTS: tuple[str, ...] = (
    "", " ", "a\x00b", "\x01\x08\x0b\x1f\x7f", "\u202eabc", "\ufffe", "e\u0301" * 40, "🌿" * 300,
    "²", "①", "٣", "-1", "0", "1", "2", "3", "+1", "1e9", "1e999", "nan", "inf", "0x10",
    "2147483647", "2147483648", "9223372036854775807", "9223372036854775808",
    "-9223372036854775809", DIGITS, "1." + DIGITS, "abc", "1;2", "1,2", "../../../../etc/passwd",
    "..%2f..%2f", "/", "\\", "%", "%s%s%n", "{{7*7}}", "{0.__class__}",
    "<script>alert(1)</script>", "\"><img src=x onerror=alert(1)>", "'; DROP TABLE study; --",
    "' OR 1=1 --", "$(id)", "`id`", "=cmd|' /C calc'!A0", "@SUM(1)", "2026-02-31", "0000-00-00",
    "9" * 400 + "-01-01", "2026-13-01", "-1-01-01", "12026-01-01", "24:61", "99:99:99",
    "1:" + DIGITS, "one hundred", LONG_WORDS, "a quarter of a half of " * 500, "1/" * 5_000,
    "(" * 5_000, "a" * 5_000, "a" * 300_000, "é" * 100_000, "word " * 20_000, "-" * 50_000,
    "1 " * 50_000, "\n" * 50_000, " " * 100_000, "a@" * 5_000, "x" * 64 + "@" + "y" * 300, "null",
    "[]", "{}", "true", "[" * 10_000, json.dumps({"a": {"b": ["c"] * 50}}), "y", "on", "VELDRA",
    "ONS-01", "P-001", "leaf", "medicines", "Sambucus nigra", "Sambucus nigra L. subsp. " * 200,
    "taxon:" + "x" * 2_000, "ci:Sambucus nigra", "icf:MED", "ur:\x00", "uv:" + DIGITS,
    "7b0f7c9e-6f0a-4c0e-9a53-0f6a3a8f4a11", "zz0f7c9e-6f0a-4c0e-9a53-0f6a3a8f4a11", "00", "gg",
    "ffff",
)  # fmt: skip


def hostile_text(rng: random.Random) -> str:
    """One of the texts, or a random string of odd characters."""
    if rng.random() < 0.85:
        return rng.choice(TEXTS)
    alphabet = "aZ09 \t\n\r;:,'\"<>%&=?#[]{}()²é𝒳🌿\u200f\u0301"
    return "".join(rng.choice(alphabet) for _at in range(rng.randrange(1, 60)))


def _png(width: int, height: int) -> bytes:
    """A picture whose header claims a size; its pixels are a few bytes of zeros."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", zlib.compress(b"\0" * 1000)) + chunk(b"IEND", b"")


def _zip(names: dict[str, bytes]) -> bytes:
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in names.items():
            archive.writestr(name, content)
    return file.getvalue()


FILES: tuple[tuple[str, Callable[[], bytes]], ...] = (
    ("reports.csv", lambda: b"informant,plant,category\nONS-01,\x00,food\n"),
    ("reports.csv", lambda: b"\xff\xfe\x00\x00"),
    ("reports.csv", lambda: b"informant\n" + b'"' * 100_000),
    ("reports.csv", lambda: ",".join(["informant"] * 5_000).encode()),
    ("reports.csv", lambda: b"informant,community,plant,category,stage\n" + b"X-1,ONS,P,food,x\n" * 3_000),
    ("reports.csv", lambda: ("informant,community,birth_year\nX-1,ONS," + DIGITS).encode()),
    ("tables.zip", lambda: _zip({"../reports.csv": b"x", "reports.csv": b"informant\n"})),
    ("tables.zip", lambda: _zip({"reports.csv": b"0" * 30_000_000})),
    ("tables.zip", lambda: b"PK\x03\x04" + b"\0" * 100),
    ("sheet.xlsx", lambda: _zip({"[Content_Types].xml": b"<x/>", "xl/workbook.xml": b"<" * 1_000})),
    (
        "track.gpx",
        lambda: b"<?xml version='1.0'?><!DOCTYPE g [<!ENTITY a 'aaaaaaaaaa'><!ENTITY b '&a;&a;&a;&a;'>]><gpx>&b;</gpx>",
    ),
    ("track.gpx", lambda: b"<gpx>" * 5_000),
    ("sources.bib", lambda: b"@article{" * 5_000),
    ("sources.bib", lambda: b"@article{x, title = {" + b"{" * 20_000),
    ("sources.ris", lambda: b"TY  - JOUR\n" + b"AU  - \x00\n" * 5_000),
    ("sources.json", lambda: b'[{"id": 1, "issued": {"date-parts": [["x", null, {}]]}, "author": "a"}]'),
    ("sources.json", lambda: b'[{"id": "a", "type": 3, "title": ["x"], "author": [{"family": {"a": 1}}], "issued": "x"}]'),
    ("sources.json", lambda: b'{"id": "a"}'),
    ("sources.json", lambda: b"[" * 100_000),
    ("sources.json", lambda: b'[null, 1, "x", [], {"id": null}, {"author": [null]}, {"issued": {"date-parts": 3}}]'),
    ("picture.png", lambda: _png(50_000_000, 1)),
    ("picture.png", lambda: _png(9_000, 9_000)),
    ("picture.png", lambda: b"\x89PNG\r\n\x1a\n" + b"\0" * 100),
    ("picture.jpg", lambda: b"\xff\xd8\xff\xe0" + b"\0" * 500),
    ("picture.svg", lambda: b"<svg xmlns='http://www.w3.org/2000/svg'><script>alert(1)</script></svg>"),
    ("checklist.csv", lambda: b"scientificName,taxonRank,family\n" + "Ab\u0000c,species,X\n".encode()),
    ("checklist.csv", lambda: b"scientificName\n" + b"A" * 200_000),
    ("empty", lambda: b""),
    ("a" * 3_000 + ".csv", lambda: b"informant\nx\n"),
)


def hostile_file(rng: random.Random) -> tuple[io.BytesIO, str]:
    """A file as a test client sends it: its bytes and its name."""
    name, content = rng.choice(FILES)
    return io.BytesIO(content()), name
