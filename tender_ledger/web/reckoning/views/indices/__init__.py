"""Every index of species, categories and families as tables that can be taken out, with the numbers behind each."""

from dataclasses import replace

import numpy as np
from flask import g, request

from tender_ledger.core.text import whole_number
from tender_ledger.operations import analyses
from tender_ledger.operations.disclosure.audience import Audience
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.web.reckoning.asked import Asked, categories
from tender_ledger.web.reckoning.contents import Content, Names
from tender_ledger.web.reckoning.views.indices.composite import composite
from tender_ledger.web.reckoning.views.indices.counted import Counted
from tender_ledger.web.reckoning.views.indices.fidelity import fidelity
from tender_ledger.web.reckoning.views.indices.gathered import agreement, families
from tender_ledger.web.reckoning.views.indices.importance import importance
from tender_ledger.web.reckoning.views.indices.spread import spread
from tender_ledger.web.shared.words import gettext as _


def indices(one: Asked, audience: Audience, _names: Names) -> Content:
    """All indices of a community, or of the study, with intervals where they are computed."""
    heading = _("All indices")
    reckoned = reckon_study(g.scope, one.rules, purpose=audience.purpose)
    if one.group and one.group not in reckoned.n_of:
        return Content(heading, "", empty=_("Nobody of this community is counted."))
    r = reckoned.result.by_community[one.group] if one.group else reckoned.result
    threshold = _threshold()
    r = replace(r, rpl_threshold=threshold)
    lede = _("N = %(n)s, NC = %(nc)s. A dash is undefined; open a number for its formula and the counts put in.", n=r.n, nc=r.nc)
    if not r.told.any():
        return Content(heading, lede, empty=_("Nothing counts under these rules yet."))
    sure = analyses.uncertainty(g.scope, one.rules, group=one.group, purpose=audience.purpose,
                               again="again" in request.args)  # fmt: skip
    taxa = [int(at) for at in np.flatnonzero(r.told) if audience.sees_taxon(r.taxa[at], one.group)]
    taxa.sort(key=lambda at: (-r.ci[at], r.taxa[at]))
    labels = {code: choice.label for code, choice in categories().items()}
    counted = Counted(r, taxa, sure.body, labels, one.group, audience)
    blocks = [
        importance(counted),
        composite(counted, g.scope),
        fidelity(counted),
        spread(counted),
        agreement(counted),
        families(counted),
    ]
    return Content(heading, lede, blocks, waits=sure if sure.body is None else None, seed=analyses.SEED, n=r.n)


def _threshold() -> int:
    return whole_number(request.args.get("t"), 10**6) or 0
