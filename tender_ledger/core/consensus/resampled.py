"""How sure a consensus analysis is: competences and fit in resamples of the questions."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.consensus.model import FIT, Answers, Consensus
from tender_ledger.core.resampling.drawing import draw
from tender_ledger.core.resampling.quantiles import ends_where_defined

Floats = npt.NDArray[np.float64]
_MOST_CELLS = 2_000_000  # of matrices of matches at a time
_LEAST = 1e-7  # what a competence still moves by in a resample that is settled
LEAST_QUESTIONS = 40  # asked for ends that hold what they estimate
_ROUNDS = 2_000  # after which a resample that is not counts as undefined


@dataclass(frozen=True)
class ConsensusEnds:
    """The 95 % ends of every informant's competence, arrays of shape (informants,), and of their mean; NaN where there
    are none. `fits`: the share of resamples in which lambda1 / lambda2 is 3 and more."""

    low: Floats
    high: Floats
    mean: tuple[float, float]
    fits: float
    replicates: int
    seed: int


def consensus_ends(found: Consensus, *, replicates: int = 1000, seed: int = 1,
                   step: Callable[[int, int], None] = lambda _done, _all: None) -> ConsensusEnds:  # fmt: skip
    """Resample the questions: the informants are those whose competence is asked for, and drawn twice one would agree with
    himself. A resample in which two informants answered no question in common, or whose competences do not settle, is
    undefined. `step` is told how far it is.

    Of fewer than LEAST_QUESTIONS there are no ends: in invented questionnaires they held the competence too seldom. Misleads
    where questions hang together: the intervals are then too narrow.
    """
    n = len(found.answers.informants)
    drawn = draw(np.zeros(len(found.answers.questions), dtype=np.int64), replicates, seed)
    parts, at_once = [], max(_MOST_CELLS // n**2, 1)
    for first in range(0, replicates, at_once):
        step(first, replicates)
        parts.append(_of(found, drawn.weights[first : first + at_once]))
    competence, ratio = (np.concatenate(one) for one in zip(*parts, strict=True))
    low, high = ends_where_defined(np.column_stack([competence, competence.mean(axis=1)]), drawn.shares())
    if len(found.answers.questions) < LEAST_QUESTIONS:
        low, high = np.full(n + 1, np.nan), np.full(n + 1, np.nan)
    mean = (float(low[n]), float(high[n]))
    return ConsensusEnds(low[:n], high[:n], mean, float((ratio >= FIT).mean()), replicates, seed)


def _of(found: Consensus, weights: npt.NDArray[np.float32]) -> tuple[Floats, Floats]:
    """Competences, shape (resamples, informants), and lambda1 / lambda2 in some resamples; NaN where undefined."""
    n, rows = len(found.answers.informants), len(weights)
    matches = _corrected_matches_of_each(found.answers, weights)
    defined: npt.NDArray[np.bool_] = np.asarray(~np.isnan(matches).any(axis=(1, 2)))
    competence, ratio = np.full((rows, n), np.nan), np.full(rows, np.nan)
    d, settled = _minres_of_each(matches[defined], found.competence)
    defined[defined] = settled
    there = matches[defined]
    d = competence[defined] = d[settled]
    there[:, np.arange(n), np.arange(n)] = d**2
    values = np.linalg.eigvalsh(there)
    with np.errstate(divide="ignore"):
        ratio[defined] = np.where(values[:, -2] > 0, values[:, -1] / np.maximum(values[:, -2], 0), np.inf)
    return competence, ratio


def _minres_of_each(matches: Floats, start: Floats) -> tuple[Floats, npt.NDArray[np.bool_]]:
    """The competences of every one of (resamples, informants, informants) as `minres` finds them, all started from `start`, shape
    (resamples, informants), and which of them are settled."""
    d, moving = np.tile(start, (len(matches), 1)), np.arange(len(matches))
    for _round in range(_ROUNDS):
        now, own = d[moving], matches[moving]
        for i in range(now.shape[1]):
            below = (now**2).sum(axis=1) - now[:, i] ** 2
            above = np.einsum("sj,sj->s", own[:, i], now) - own[:, i, i] * now[:, i]
            now[:, i] = np.divide(above, below, out=np.zeros(len(now)), where=below > 1e-15)
        moved = np.abs(now - d[moving]).max(axis=1, initial=0.0)
        d[moving] = now
        moving = moving[moved >= _LEAST]
        if not len(moving):
            break
    settled = np.ones(len(d), dtype=bool)
    settled[moving] = False
    return np.where(d.mean(axis=1, keepdims=True) < 0, -d, d), settled


def _corrected_matches_of_each(answers: Answers, weights: npt.NDArray[np.float32]) -> Floats:
    """M* of every resample, shape (resamples, informants, informants); NaN where a pair has no question in common."""
    n, given = len(answers.informants), answers.codes >= 0
    both = given[:, None, :] & given[None, :, :]
    alike = both & (answers.codes[:, None, :] == answers.codes[None, :, :])
    times, same = ((weights @ one.reshape(n * n, -1).T.astype(np.float32)).astype(np.float64) for one in (both, alike))
    with np.errstate(invalid="ignore"):
        share = (same / times).reshape(-1, n, n)
    return (answers.alternatives * share - 1) / (answers.alternatives - 1)
