"""Measures as people tell them, in any usual unit, turned into ranges; the words are kept."""

from tender_ledger.core.measures.reading import Measure, MeasureNotRead, find_measures, read_measure

__all__ = ["Measure", "MeasureNotRead", "find_measures", "read_measure"]
