"""What an operation answers when it cannot do what was asked; nothing was written then."""

import re
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import Any

from peewee import IntegrityError

from tender_ledger.core.limits import TooLong, sentence_of_length
from tender_ledger.core.text import clean, whole_number
from tender_ledger.storage.database import SENTENCES, violated_constraint

_CODE = re.compile(r"[A-Z][A-Z0-9-]{0,31}$")
_LENGTH = re.compile(r"^length_of_(\w+)$")
_REFERENCE = re.compile(r"_study_id_(\w+)_fkey$")


class Refused(ValueError):
    """Field by field, what is wrong and what would be right; the empty field name is for the whole."""

    def __init__(self, errors: Mapping[str, str]) -> None:
        super().__init__("; ".join(errors.values()))
        self.errors = dict(errors)


class NotFound(LookupError):
    """There is no such thing for this viewer, whether or not it exists."""


class Conflict(Exception):
    """Somebody saved the record meanwhile: what they left, to be shown beside what was typed."""

    def __init__(self, entity: str, record_id: int, current: dict[str, Any] | None, version: int) -> None:
        super().__init__(f"{entity} {record_id} was changed meanwhile")
        self.entity, self.record_id, self.current, self.version = entity, record_id, current, version


class CannotUndo(Exception):
    """The act cannot be undone as the records stand; says which and by whom."""


@contextmanager
def constraints_as_refusals() -> Iterator[None]:
    """Turn the violation of a named constraint into the sentence that a user can act on."""
    try:
        yield
    except IntegrityError as error:
        field, sentence = _sentence(violated_constraint(error))
        if not sentence:
            raise
        raise Refused({field: sentence}) from error
    except TooLong as error:
        raise Refused({error.field: str(error)}) from error


def _sentence(constraint: str) -> tuple[str, str]:
    """The field and the sentence of a rule; one rule serves every reference to a record that is not in the study."""
    if missing := _REFERENCE.search(constraint):
        return missing[1], "What was chosen is not in this study, or not any more. Load the page again and choose anew."
    if too_long := _LENGTH.search(constraint):
        return too_long[1], sentence_of_length(too_long[1])
    return SENTENCES.get(constraint, ("", ""))


def number_of(value: object, field: str, sentence: str) -> int:
    """The number of a record that was chosen, or a refusal with the sentence."""
    number = whole_number(value)
    if number is None:
        raise Refused({field: sentence})
    return number


def degrees_of(value: float | str | None, field: str) -> float | None:
    """Degrees as typed, with a point or a comma; None where nothing is, a refusal where it is no number."""
    text = clean(str(value if value is not None else "")).replace(",", ".").replace("−", "-")
    if not text:
        return None
    try:
        return float(text)
    except ValueError:
        raise Refused({field: f"“{text}” is no number of degrees. Write it as 47.91, or leave it open."}) from None


def required(text: str | None, field: str, what: str) -> str:
    """The text as stored, or a refusal that names what is missing."""
    found = clean(text)
    if not found:
        raise Refused({field: f"{what} is missing."})
    return found


def code_of(text: str) -> str:
    """A code as stored, in capitals, or a refusal that says how one is written."""
    code = required(text, "code", "The code").upper()
    if not _CODE.match(code):
        raise Refused(
            {"code": "A code has capital letters, digits and hyphens, 32 at most, and begins with a letter, such as ONS-07."}
        )
    return code
