"""A reckoning as bytes and back: its counts, from which every index follows, without the rows they were counted from."""

import io
import json
import zlib
from dataclasses import fields
from typing import Any

import numpy as np

from tender_ledger.core.indices.agreement import CategoryCounts
from tender_ledger.core.indices.importance import TaxonCounts
from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.messages import StatisticalWarning
from tender_ledger.core.rules import CountingRules

_PLAIN = ("n", "reporting", "askings_recorded", "rows", "uses_told", "rpl_threshold")


def pack(r: Reckoning) -> bytes:
    """The reckoning without its communities, whose reckonings are packed each by itself. Whole numbers take 4 bytes."""
    arrays: dict[str, Any] = {}
    for name, counts in (("taxon", r.counts), ("category", r.category_counts)):
        for field in fields(counts):
            column = getattr(counts, field.name)
            arrays[f"{name}.{field.name}"] = column if column.dtype.kind == "f" else column.astype(np.int32)
    said = {
        "taxa": r.taxa, "family": r.family, "categories": r.categories, **{name: getattr(r, name) for name in _PLAIN},
        "warnings": [[one.code, one.where, one.message] for one in r.warnings],
    }  # fmt: skip
    out = io.BytesIO()
    np.savez(out, said=np.frombuffer(json.dumps(said).encode(), dtype=np.uint8), **arrays)
    return zlib.compress(out.getvalue(), 1)


def unpack(data: bytes, rules: CountingRules) -> Reckoning:
    """The reckoning that was packed, under the rules it was computed by."""
    with np.load(io.BytesIO(zlib.decompress(data)), allow_pickle=False) as found:
        said = json.loads(found["said"].tobytes())
        counts = {name: found[f"taxon.{name}"] for name in (field.name for field in fields(TaxonCounts))}
        categories = {name: found[f"category.{name}"] for name in (field.name for field in fields(CategoryCounts))}
    return Reckoning(
        rules=rules,
        taxa=tuple(said["taxa"]),
        family=tuple(said["family"]),
        categories=tuple(said["categories"]),
        counts=TaxonCounts(**_wide(counts)),
        category_counts=CategoryCounts(**_wide(categories)),
        warnings=tuple(StatisticalWarning(*one) for one in said["warnings"]),
        **{name: said[name] for name in _PLAIN},
    )


def _wide(arrays: dict[str, Any]) -> dict[str, Any]:
    return {name: column if column.dtype.kind == "f" else column.astype(np.int64) for name, column in arrays.items()}
