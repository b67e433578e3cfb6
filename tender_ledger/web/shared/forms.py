"""What the forms share: tokens, cleaned text, and an operation's refusal shown beside the field it is about."""

import uuid
from collections.abc import Iterable, Mapping
from typing import Any

from flask import g
from flask_wtf import FlaskForm
from wtforms import HiddenField, StringField
from wtforms.fields.choices import SelectChoice

from tender_ledger.core.limits import longest, sentence_of_length
from tender_ledger.core.text import whole_number
from tender_ledger.operations.errors import Refused
from tender_ledger.storage.queries import people, studies
from tender_ledger.web.shared.words import gettext as _


class LedgerForm(FlaskForm):
    """A form whose judgement is the operation's: it only carries what was typed, and says what was wrong with it."""

    class Meta:
        csrf = False  # every request that writes is checked before any form is read

    client_key = HiddenField()
    version = HiddenField()

    def key(self) -> str | None:
        """The key of the form, by which a second sending is known; None where there is none, or no real one."""
        try:
            return str(uuid.UUID(self.client_key.data or ""))
        except ValueError:
            return None

    def seen_version(self) -> int:
        """The version of the record that the form was drawn from; 0, which no record has, where it does not say."""
        return whole_number(self.version.data) or 0

    def check_lengths(self) -> None:
        """Refuse texts that are longer than their fields take, each beside its field, before anything reads them."""
        found = {f.short_name: f.data for f in self if isinstance(f, StringField) and isinstance(f.data, str)}
        long = {name: sentence_of_length(name, len(text)) for name, text in found.items() if len(text) > longest(name)}
        if long:
            raise Refused(long)

    def values(self) -> dict[str, Any]:
        """What was typed, without the fields that only the transport needs."""
        return {name: value for name, value in self.data.items() if name not in ("client_key", "version")}

    def show(self, refused: Refused) -> None:
        """Put each sentence beside its field; a sentence about the whole, or about no field of the form, stands above."""
        for name, sentence in refused.errors.items():
            field = self._fields.get(name)
            if field is None:
                self.form_errors.append(sentence)
            else:
                field.errors = [*field.errors, sentence]

    def fill(self, record: Mapping[str, Any]) -> None:
        """Take what stands in a record, where nothing was typed yet."""
        for name, field in self._fields.items():
            if name in record:
                field.data = "" if record[name] is None else record[name]


def text(label: str, help_text: str = "", **attributes: Any) -> StringField:
    """A line of text with its help and attributes."""
    return StringField(label, description=help_text, render_kw={"autocomplete": "off", **attributes})


def options(pairs: Iterable[tuple[Any, str]]) -> list[SelectChoice]:
    """What a field offers, from (value, label) pairs."""
    return [SelectChoice(str(value), label) for value, label in pairs]


def community_choices(none: str = _("choose")) -> list[SelectChoice]:
    return options([("", none), *((one["id"], one["name"]) for one in people.communities(g.scope))])


def use_choices() -> list[SelectChoice]:
    """The categories of the study's scheme with their subcategories indented."""
    found = studies.use_codes(g.scope)
    return options(
        [("", _("no category")), *((one["id"], ("\u2003" if one["parent_id"] else "") + one["label"]) for one in found)]
    )


def source_choices() -> list[SelectChoice]:
    return options([("", _("not said")), *((one["id"], one["code"]) for one in people.sources(g.scope))])


def language_choices(none: str = _("not said")) -> list[SelectChoice]:
    return options([("", none), *((one["id"], f"{one['name']} ({one['code']})") for one in studies.languages(g.scope))])
