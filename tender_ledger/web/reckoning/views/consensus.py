"""What the answers to a questionnaire say: the key of the culture, and the competence of the holders shown."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from flask import url_for

from tender_ledger.core.consensus.model import Consensus, corrected_matches
from tender_ledger.core.consensus.resampled import LEAST_QUESTIONS
from tender_ledger.formats.result_parts import number
from tender_ledger.formats.tables import Column, Table
from tender_ledger.operations.computing import Computed
from tender_ledger.operations.questionnaires import Analysed
from tender_ledger.web.reckoning.contents import Apart, Block, Content, Link, Row
from tender_ledger.web.reckoning.views.intervals import Ends, ends_in, ends_of, pair_of
from tender_ledger.web.shared.words import gettext as _

_HOW = _("95 % of the resamples of the questions")


def consensus_blocks(analysed: Analysed, sure: Computed | None = None) -> Content:
    """How well the model fits, the answers of the culture where it does, the competences; nothing where there is no analysis.

    `sure`: their intervals, as far as they are computed.
    """
    if analysed.found is None:
        return Content("", "")
    ends = (sure and sure.body) or {}
    blocks = [_fit(analysed.found, ends), *([_key(analysed.found, analysed)] if analysed.found.key else []),
              _competence(analysed.found, analysed, ends.get("competence", {}))]  # fmt: skip
    return Content("", "", blocks, n=analysed.informants, waits=sure if sure and sure.body is None else None)


def _fit(found: Consensus, ends: Mapping[str, Any]) -> Block:
    """The ratio of the eigenvalues and the mean competence, on which the answers of the culture stand."""
    first, second = found.eigenvalues[:2].tolist()
    rows = [
        {"what": _("first eigenvalue over the second"), "key": "ratio", "value": number(found.ratio), **_ends("ratio", {})},
        {"what": _("mean competence"), "key": "meancompetence", "value": float(found.competence.mean()), **_ends("mean", ends)},
    ]
    said = []
    if ends:
        said.append(
            _(
                "In %(fits)s %% of %(b)s resamples of the questions, seed %(seed)s, the first eigenvalue is three times the "
                "second. Competences of fewer than %(least)s questions have no interval: none held them in invented "
                "questionnaires.",
                least=LEAST_QUESTIONS,
                b=f"{ends['replicates']:,}",
                seed=ends["seed"],
                fits=f"{100 * ends['fits']:.0f}",
            )
        )

    def ratio(_row: Row) -> Apart:
        return Apart({"λ_1": f"{first:.3f}", "λ_2": f"{second:.3f}"})

    def mean(row: Row) -> Apart:
        spread = [(_("standard deviation"), float(found.competence.std(ddof=1))), (_("lowest"), float(found.competence.min())),
                  (_("highest"), float(found.competence.max()))]  # fmt: skip
        return Apart({"N": len(found.competence)}, (), spread, ends_in(row, "value"), how=_HOW)

    columns = [Column("what", _("measure"), "text"), Column("value", _("value"), explains="row", ends=True)]
    return Block("fit", _("How well the model fits"), table=Table("fit", _("Fit of the model"), columns, rows, subject="what"),
                 sentences=said, apart={"ratio": ratio, "meancompetence": mean})  # fmt: skip


def _ends(name: str, ends: Mapping[str, Any]) -> dict[str, float | None]:
    found = ends.get(name, [None, None])
    return ends_of("value", None if None in found else found)


def _key(found: Consensus, analysed: Analysed) -> Block:
    rows = [{"question": one.question, "answer": one.answer or "–", "posterior": one.posterior, "majority": one.majority or "–"}
            for one in found.key]  # fmt: skip
    columns = [Column("question", _("question"), "text"), Column("answer", _("answer"), "text"),
               Column("posterior", _("posterior"), "sure"), Column("majority", _("plain majority"), "text")]  # fmt: skip

    def posterior(row: Row) -> Apart:
        at = found.answers.questions.index(row["question"])
        answers, choices = found.answers.codes[:, at], found.answers.choices[at]
        told = [
            (code, place) for place, code in enumerate(found.answers.informants) if code in analysed.shown and answers[place] >= 0
        ]
        made = [Link(code, f"{choices[answers[place]]}, D = {found.competence[place]:.3f}", url_for("people.holder", code=code))
                for code, place in told]  # fmt: skip
        given = answers[answers >= 0]
        others = [(_("share of answers: %(answer)s", answer=choice), float((given == place).mean()))
                  for place, choice in enumerate(choices)] if len(given) else []  # fmt: skip
        others += [(_("posterior of %(answer)s", answer=answer or _("an answer nobody gave")), value)
                   for answer, value in found.key[at].posteriors.items()]  # fmt: skip
        return Apart({"L": found.answers.alternatives}, made, others)

    table = Table("key", _("What the culture answers"), columns, rows, subject="question")
    said = [_("A posterior says itself how sure an answer is; it takes the competences as known.")]
    return Block("key", _("What the culture answers"), table=table, sentences=said, apart={"posterior": posterior})


def _competence(found: Consensus, analysed: Analysed, ends: Mapping[str, Ends]) -> Block:
    shown = [(at, code) for at, code in enumerate(found.answers.informants) if code in analysed.shown]
    rows: list[dict[str, Any]] = [
        {"holder": code, "competence": float(found.competence[at]), **ends_of("competence", ends.get(code))} for at, code in shown
    ]
    columns = [Column("holder", _("holder"), "text"), Column("competence", _("competence D"), ends=True)]
    matches = corrected_matches(found.answers)

    def competence(row: Row) -> Apart:
        own = found.answers.informants.index(row["holder"])
        made = [Link(_("M* with %(code)s", code=code), f"{matches[own, at]:.3f}", url_for("people.holder", code=code))
                for at, code in shown if at != own]  # fmt: skip
        mean = float(np.delete(matches[own], own).mean())
        others = [(_("mean M* with everybody counted"), mean)]
        return Apart({"L": found.answers.alternatives}, made, others, pair_of(ends.get(row["holder"])), how=_HOW)

    links = {code: url_for("people.holder", code=code) for _at, code in shown}
    table = Table("competence", _("Competence"), columns, rows, subject="holder", links=links)
    return Block("competence", _("Competence of holders shown"), table=table, single=True, apart={"competence": competence})
