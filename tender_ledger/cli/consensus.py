"""`./ledger consensus`: cultural consensus analysis of a table of answers, without a database."""

import json
from pathlib import Path

import click

from tender_ledger.core.consensus.model import Consensus, consensus
from tender_ledger.formats.reckoning_files import read_answers
from tender_ledger.formats.result_parts import consensus_document


@click.command("consensus")
@click.argument("answers", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--alternatives", type=int, help="L, the answers everybody chose among; default: as many as were given.")
@click.option("--json", "as_json", is_flag=True, help="Print the result as JSON instead of tables.")
def analyse_consensus(answers: Path, alternatives: int | None, as_json: bool) -> None:
    """Competences of the informants and, where the model fits, the answers of their culture."""
    found = consensus(read_answers(answers.read_bytes(), alternatives))
    if as_json:
        click.echo(json.dumps(consensus_document(found), indent=1, ensure_ascii=False))
    else:
        click.echo("\n".join(_tables(found)))


def _tables(found: Consensus) -> list[str]:
    lines = [f"first eigenvalue / second = {found.ratio:.2f}, L = {found.answers.alternatives}", ""]
    lines += [f"{who:20} {d:7.3f}" for who, d in zip(found.answers.informants, found.competence, strict=True)]
    if not found.fits:
        return [*lines, "", "No key is given.", *found.refused]
    return [*lines, "", *(f"{one.question:20} {one.answer:20} {one.posterior:7.3f}" for one in found.key)]
