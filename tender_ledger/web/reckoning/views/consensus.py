"""What the answers to a questionnaire say: the key of the culture, and the competence of the holders shown."""

from typing import Any

import numpy as np
from flask import url_for

from tender_ledger.core.consensus.model import Consensus, corrected_matches
from tender_ledger.formats.tables import Column, Table
from tender_ledger.operations.questionnaires import Analysed
from tender_ledger.web.reckoning.contents import Apart, Block, Content, Link, Row
from tender_ledger.web.shared.words import gettext as _


def consensus_blocks(analysed: Analysed) -> Content:
    """The answers of the culture where the model fits, and the competences; nothing where there is no analysis."""
    if analysed.found is None:
        return Content("", "")
    blocks = [_key(analysed.found, analysed)] if analysed.found.key else []
    return Content("", "", [*blocks, _competence(analysed.found, analysed)], n=analysed.informants)


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
    return Block("key", _("What the culture answers"), table=table, apart={"posterior": posterior})


def _competence(found: Consensus, analysed: Analysed) -> Block:
    shown = [(at, code) for at, code in enumerate(found.answers.informants) if code in analysed.shown]
    rows: list[dict[str, Any]] = [{"holder": code, "competence": float(found.competence[at])} for at, code in shown]
    columns = [Column("holder", _("holder"), "text"), Column("competence", _("competence D"))]
    matches = corrected_matches(found.answers)

    def competence(row: Row) -> Apart:
        own = found.answers.informants.index(row["holder"])
        made = [Link(_("M* with %(code)s", code=code), f"{matches[own, at]:.3f}", url_for("people.holder", code=code))
                for at, code in shown if at != own]  # fmt: skip
        mean = float(np.delete(matches[own], own).mean())
        return Apart({"L": found.answers.alternatives}, made, [(_("mean M* with everybody counted"), mean)])

    links = {code: url_for("people.holder", code=code) for _at, code in shown}
    table = Table("competence", _("Competence"), columns, rows, subject="holder", links=links)
    return Block("competence", _("Competence of holders shown"), table=table, single=True, apart={"competence": competence})
