"""The views of the reckoning beside its tables of indices, each built of what was computed of the study."""

from collections.abc import Callable, Mapping

from tender_ledger.web.reckoning.contents import Content
from tender_ledger.web.reckoning.views.compared import compare
from tender_ledger.web.reckoning.views.groups import groups
from tender_ledger.web.reckoning.views.heard import heard
from tender_ledger.web.reckoning.views.holders import holders, matrix
from tender_ledger.web.reckoning.views.indices import indices
from tender_ledger.web.reckoning.views.overuse import overuse
from tender_ledger.web.reckoning.views.told import lists, parts
from tender_ledger.web.shared.words import gettext as _

VIEWS: Mapping[str, tuple[str, Callable[..., Content]]] = {
    "indices": (_("all indices"), indices),
    "heard": (_("enough heard"), heard),
    "groups": (_("groups"), groups),
    "holders": (_("holders"), holders),
    "matrix": (_("who told what"), matrix),
    "lists": (_("free lists"), lists),
    "parts": (_("parts"), parts),
    "overuse": (_("families"), overuse),
    "compare": (_("rules compared"), compare),
}
