"""One normal form for what is stored, one fold for what is searched."""

import unicodedata

# Letters that look like an apostrophe and are written for one another in field notes: fold them to one.
_APOSTROPHES = dict.fromkeys(map(ord, "'`´ʹʻʼʽʾʿˈ‘’‛′＇ꞌ"), "'")
# Letters that carry no separable mark, phonetic ones among them, but that a searcher types as the letter they look like.
_LETTERS = str.maketrans(
    {"ł": "l", "ø": "o", "đ": "d", "ħ": "h", "ı": "i", "ŧ": "t", "æ": "ae", "œ": "oe", "ŋ": "n", "ɲ": "n", "ɬ": "l", "ɫ": "l",
     "ɾ": "r", "ʀ": "r", "ə": "e", "ɛ": "e", "ɔ": "o", "ɑ": "a", "ɨ": "i", "ɪ": "i", "ʉ": "u", "ʊ": "u", "ɣ": "g", "ɡ": "g",
     "ɓ": "b", "ɗ": "d", "ʃ": "s", "ʒ": "z", "ʔ": "'", "ʕ": "'"}
)  # fmt: skip


def clean(text: str | None) -> str:
    """The text as it is stored: NFC, no white space at the ends, no NUL; the empty string for None."""
    return unicodedata.normalize("NFC", text or "").replace("\x00", "").strip()


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
