"""One normal form for what is stored, one fold for what is searched."""

import re
import unicodedata

# Letters that look like an apostrophe and are written for one another in field notes: fold them to one.
_APOSTROPHES = dict.fromkeys(map(ord, "'`´ʹʻʼʽʾʿˈ‘’‛′＇ꞌ"), "'")
# Letters that carry no separable mark, phonetic ones among them, but that a searcher types as the letter they look like.
_LETTERS = str.maketrans(
    {"ł": "l", "ø": "o", "đ": "d", "ħ": "h", "ı": "i", "ŧ": "t", "æ": "ae", "œ": "oe", "ŋ": "n", "ɲ": "n", "ɬ": "l", "ɫ": "l",
     "ɾ": "r", "ʀ": "r", "ə": "e", "ɛ": "e", "ɔ": "o", "ɑ": "a", "ɨ": "i", "ɪ": "i", "ʉ": "u", "ʊ": "u", "ɣ": "g", "ɡ": "g",
     "ɓ": "b", "ɗ": "d", "ʃ": "s", "ʒ": "z", "ʔ": "'", "ʕ": "'"}
)  # fmt: skip


LARGEST_NUMBER = 2**31 - 1  # of a record, a version, a page: what the database's integers hold
# Control characters but tab, line feed and carriage return, halves of pairs, and what no XML document may hold.
_NOT_TEXT = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x84\x86-\x9f\ud800-\udfff\ufffe\uffff]")


def whole_number(text: object, most: int = LARGEST_NUMBER) -> int | None:
    """The whole number that a text is, in plain digits; None where it is none, or more than `most`."""
    digits = str(text).strip() if text is not None else ""
    if not (digits.isascii() and digits.isdigit() and len(digits) <= 18):
        return None
    return int(digits) if int(digits) <= most else None


def control_character(text: str) -> str:
    """The first character that no text may hold, as U+0000; the empty string where there is none."""
    wrong = _NOT_TEXT.search(text)
    return f"U+{ord(wrong[0]):04X}" if wrong else ""


def clean(text: str | None) -> str:
    """The text as it is stored: NFC, no white space at the ends, no control characters; the empty string for None."""
    if text and text.isascii() and text.isprintable():  # most texts, and much quicker
        return text.strip()
    return _NOT_TEXT.sub("", unicodedata.normalize("NFC", text or "")).strip()


def fold(text: str | None) -> str:
    """The form in which texts are compared and looked up: NFKC, case, diacritics and kinds of apostrophe folded.

    Two texts with the same fold are one text to the look-up; what is stored and shown is never folded.
    """
    kept = clean(text)
    if kept.isascii():  # most texts, and much quicker
        return " ".join(kept.replace("`", "'").lower().split())
    plain = unicodedata.normalize("NFKC", kept).translate(_APOSTROPHES).casefold().translate(_LETTERS)
    bare = "".join(c for c in unicodedata.normalize("NFD", plain) if not unicodedata.combining(c))
    return " ".join(unicodedata.normalize("NFC", bare).split())
