"""How a study came to its holders, in words: it stands wherever a number is read beyond those who were asked."""

from collections.abc import Mapping
from typing import Any

from tender_ledger.web.shared.words import gettext as _

WAYS = [("random", _("at random")), ("snowball", _("by snowball: one named the next")), ("purposive", _("on purpose")),
        ("all", _("everybody there is")), ("mixed", _("in several ways"))]  # fmt: skip
_CAPTIONS = {
    "random": _("chosen at random"), "snowball": _("chosen by snowball"), "purposive": _("chosen on purpose"),
    "all": _("everybody there is"), "mixed": _("chosen in several ways"),
}  # fmt: skip


def chosen_words(found: Mapping[str, Any] | None) -> str:
    """What follows the number of holders in a caption."""
    return _CAPTIONS[found["way"]] if found else _("how they were chosen is not stated")
