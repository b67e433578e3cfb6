"""What each number of the reckoning is: its formula, what its symbols mean, whose it is, and when it misleads.

The indices of a species or a category that stand in every table have their working in `indices.working`.
"""

from tender_ledger.core.indices.catalogue.between import BETWEEN
from tender_ledger.core.indices.catalogue.explanation import Explanation
from tender_ledger.core.indices.catalogue.flora import OF_FLORA
from tender_ledger.core.indices.catalogue.frozen import FROZEN
from tender_ledger.core.indices.catalogue.gathered import GATHERED
from tender_ledger.core.indices.catalogue.holders import OF_HOLDERS
from tender_ledger.core.indices.catalogue.species import OF_SPECIES
from tender_ledger.core.indices.catalogue.sufficiency import OF_SUFFICIENCY

EXPLAINED: dict[str, Explanation] = {**OF_SPECIES, **GATHERED, **OF_SUFFICIENCY, **BETWEEN, **OF_HOLDERS, **OF_FLORA, **FROZEN}
