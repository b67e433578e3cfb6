"""How many seconds a computation is expected to take, by the size of the study: what takes long is computed beside the request.

Fitted to runs on two slow cores; they decide only where a computation runs, never what it finds.
"""

from collections.abc import Mapping

Size = Mapping[str, int]  # informants and plants of the study


def of_uncertainty(size: Size, replicates: int) -> float:
    """Products of the weights with what each informant told, the ranks, and the indices beyond them."""
    return 3 * (0.2 + replicates * (size["informants"] * size["plants"] * 10 + size["plants"] * 800) / 4e10)


def of_listening(size: Size) -> float:
    """A curve of as many points as informants, over as many different incidences at most."""
    return size["informants"] ** 2 / 1.2e7


def of_groups(size: Size) -> float:
    """Relabellings of the informants of each pair, a plant at a time, and the distances between informants: of three pairs."""
    return 3 * size["plants"] * max(size["informants"], 1) / 2e5 + size["informants"] ** 2 / 2e4


def of_ties(_size: Size) -> float:
    """Dealings of one column: short in any study."""
    return 0.5


def of_competences(informants: int) -> float:
    """Fits of all pairs of informants, in a thousand resamples."""
    return informants**2 / 5000


def of_parts(reports: int) -> float:
    """Shares with their intervals, by category, community and taxon."""
    return reports / 1e4


def of_leaving(reports: int) -> float:
    """Cells of all tables that could leave, and what could be had of them by subtraction."""
    return reports / 5e3
