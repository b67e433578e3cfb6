"""The indices of the bench with pandas: drop_duplicates and groupby on integer columns, no apply."""

from typing import Any

import numpy as np
import pandas as pd

from tender_ledger.core.rules import BASES, STANCES, CountingRules
from tender_ledger.core.tally.table import UseReportTable
from tender_ledger.core.tally.taxa import counted_taxa


def indices_with_pandas(table: UseReportTable) -> dict[str, Any]:
    """UR, FC, NU, RFC, CI with its split, both use values, Nur, Nt, ICF under the default rules; arrays by taxon or category."""
    rules, taxa = CountingRules(), counted_taxa(table.plants, CountingRules())
    frame = pd.DataFrame(
        {"informant": table.informant, "event": table.event, "taxon": taxa.of_plant[table.plant], "category": table.category,
         "use": table.use, "basis": table.basis, "stance": table.stance}
    )  # fmt: skip
    frame = frame[(frame.taxon >= 0) & ~table.informants.is_source[table.informant]]
    bases = [BASES.index(one) for one in rules.basis]
    kept = frame[(frame.category >= 0) & frame.basis.isin(bases) & frame.stance.isin([STANCES.index("affirms")])]
    n, taxa_n, categories = int((~table.informants.is_source).sum()), len(taxa.names), len(table.categories)
    cited = kept[["taxon", "informant", "category"]].drop_duplicates()
    split = cited.groupby(["taxon", "category"]).size().unstack(fill_value=0)
    split = split.reindex(index=range(taxa_n), columns=range(categories), fill_value=0)
    fc = cited[["taxon", "informant"]].drop_duplicates().groupby("taxon").size().reindex(range(taxa_n), fill_value=0)
    uses = kept[["taxon", "informant", "use"]].drop_duplicates().groupby("taxon").size().reindex(range(taxa_n), fill_value=0)
    by_event = kept[["taxon", "informant", "use", "event"]].drop_duplicates().groupby(["taxon", "informant"]).size()
    events = frame[["taxon", "informant", "event"]].drop_duplicates().groupby(["taxon", "informant"]).size()
    mean = by_event.reindex(events.index, fill_value=0) / events
    asked = mean.groupby("taxon").mean().reindex(range(taxa_n))
    nur, nt = split.sum(axis=0).to_numpy(), (split > 0).sum(axis=0).to_numpy()
    ur = split.sum(axis=1).to_numpy()
    with np.errstate(invalid="ignore", divide="ignore"):
        icf = np.where(nur > 1, (nur - nt) / (nur - 1), np.nan)
    return {
        "ur": ur, "fc": fc.to_numpy(), "nu": (split > 0).sum(axis=1).to_numpy(), "rfc": fc.to_numpy() / n, "ci": ur / n,
        "ci_components": split.to_numpy() / n,
        "uv": uses.to_numpy() / n, "uva": asked.to_numpy(), "nur": nur, "nt": nt, "icf": icf,
    }  # fmt: skip
