"""Sentences of the interface: every one passes through gettext; English is the one catalogue so far."""

from gettext import NullTranslations

_catalogue = NullTranslations()


def gettext(sentence: str, **values: object) -> str:
    """The sentence in the viewer's language, with its values put in."""
    found = _catalogue.gettext(sentence)
    return found % values if values else found


def ngettext(one: str, many: str, num: int, **values: object) -> str:
    """The sentence for so many, with `num` and the values put in."""
    return plural(one, many, num) % {"num": num, **values}


def plural(one: str, many: str, num: int) -> str:
    """The sentence for so many as the catalogue has it; a template puts the values in by itself."""
    return _catalogue.ngettext(one, many, num)
