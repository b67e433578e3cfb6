"""The indices of the bench with pandas: drop_duplicates and groupby on integer columns, no apply."""

from typing import Any

import numpy as np
import pandas as pd

from tender_ledger.core.rules import BASES, OUTCOMES, STANCES, CountingRules
from tender_ledger.core.tally.table import UseReportTable
from tender_ledger.core.tally.taxa import counted_taxa


def indices_with_pandas(table: UseReportTable) -> dict[str, Any]:
    """UR, FC, NU, RFC, CI with its split, both use values, Nur, Nt, ICF under the default rules; arrays by taxon or category."""
    rules, taxa = CountingRules(), counted_taxa(table.plants, CountingRules())
    frame = pd.DataFrame(
        {"informant": table.informant, "event": table.event, "taxon": taxa.of_plant[table.plant], "category": table.category,
         "use": table.use, "basis": table.basis, "stance": table.stance, "outcome": table.outcome}
    )  # fmt: skip
    frame = frame[(frame.taxon >= 0) & ~table.informants.is_source[table.informant]]
    bases = [BASES.index(one) for one in rules.basis]
    told_of_use = frame.stance.isin([STANCES.index("affirms")]) & (frame.outcome != OUTCOMES.index("harmed"))
    kept = frame[(frame.category >= 0) & frame.basis.isin(bases) & told_of_use]
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
    with_use = kept[["taxon", "informant", "use", "category"]].drop_duplicates()
    per_pair = cited.groupby(["taxon", "informant"]).size()
    squares = (per_pair**2).groupby("taxon").sum().reindex(range(taxa_n), fill_value=0).to_numpy()
    of_use = with_use.groupby(["taxon", "use"]).size()
    main_use = of_use.groupby("taxon").max().reindex(range(taxa_n), fill_value=0).to_numpy()
    nu_use = of_use.groupby("taxon").size().reindex(range(taxa_n), fill_value=0).to_numpy()
    by_event_category = kept[["taxon", "informant", "category", "event"]].drop_duplicates()
    per_event = by_event_category.groupby(["taxon", "informant"]).size().reindex(events.index, fill_value=0) / events
    asked_category = per_event.groupby("taxon").mean().reindex(range(taxa_n))
    nur_use = with_use.groupby("category").size().reindex(range(categories), fill_value=0)
    nur_event = by_event_category.groupby("category").size().reindex(range(categories), fill_value=0)
    tellers = (
        kept[["informant", "category"]].drop_duplicates().groupby("category").size().reindex(range(categories), fill_value=0)
    )
    nur, nt = split.sum(axis=0).to_numpy(), (split > 0).sum(axis=0).to_numpy()
    ur = split.sum(axis=1).to_numpy()
    told, nu = fc.to_numpy(), (split > 0).sum(axis=1).to_numpy()
    matrix = split.to_numpy().astype(float)
    with np.errstate(invalid="ignore", divide="ignore"):
        further = {
            "cv": nu / max((nt > 0).sum(), 1) * (told / n) * (ur / n), "ri": (told / told.max() + nu / nu.max()) / 2,
            "ri_properties": nu / nu.max() + nu_use / nu_use.max(), "fl": 100 * matrix.max(axis=1) / told,
            "ud": ur**2 / (matrix**2).sum(axis=1), "id": ur**2 / squares, "sd": nur**2 / (matrix**2).sum(axis=0),
            "main_use": main_use, "uva_category": asked_category.to_numpy(), "nur_use": nur_use.to_numpy(),
            "nur_event": nur_event.to_numpy(), "informants": tellers.to_numpy(),
        }  # fmt: skip
        icf = np.where(nur > 1, (nur - nt) / (nur - 1), np.nan)
    return {
        **further,
        "ur": ur, "fc": told, "nu": nu, "rfc": fc.to_numpy() / n, "ci": ur / n,
        "ci_components": split.to_numpy() / n,
        "uv": uses.to_numpy() / n, "uva": asked.to_numpy(), "nur": nur, "nt": nt, "icf": icf,
    }  # fmt: skip
