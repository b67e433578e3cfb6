"""The files beside the report table that a reckoning takes: free lists, a flora, consensus answers."""

from tender_ledger.core.consensus.model import Answers, answers_of
from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.text import clean, whole_number
from tender_ledger.formats.sheet import read_sheet


def read_free_lists(data: bytes, roster: tuple[str, ...] = ()) -> list[list[str]]:
    """freelists.csv: informant, position, item; an empty item is somebody asked who named none. Lists in order of positions.

    With a roster, of the holders who were interviewed, those without a row were asked as well and named none.

    Raises InputRefused for a position that is no whole number above 0, or taken twice in a list, and, where a roster is
    given, for an informant who is not in it.
    """
    sheet = read_sheet(data, ("informant", "position", "item"), "freelists")
    lists: dict[str, dict[int, str]] = {}
    problems = []
    for line, row in zip(sheet.lines, sheet.rows, strict=True):
        where, who, position = f"freelists, line {line}", row["informant"], row["position"]
        if not who:
            problems.append(Problem("No informant is named.", f"{where}, column informant", expected="a code"))
            continue
        if roster and who not in roster:
            problems.append(
                Problem("The informant is not on the roster.", f"{where}, column informant", who, "a code of informants.csv")
            )
        own = lists.setdefault(who, {})
        if not row["item"]:
            continue
        place = whole_number(position) or 0
        if place < 1:
            problems.append(
                Problem("The position is no whole number above 0.", f"{where}, column position", position, "1, 2, 3 …")
            )
        elif place in own:
            problems.append(
                Problem("The list has this position twice.", f"{where}, column position", position, "each place once")
            )
        else:
            own[place] = row["item"]
    if problems:
        raise InputRefused(*problems)
    everybody = {who: lists.get(who, {}) for who in roster} or lists
    return [[own[place] for place in sorted(own)] for own in everybody.values()]


def read_flora(data: bytes) -> dict[str, int]:
    """flora.csv: family, flora (its number of species in the flora; 0 is allowed). Raises InputRefused with every problem."""
    sheet = read_sheet(data, ("family", "flora"), "flora")
    flora: dict[str, int] = {}
    problems = []
    for line, row in zip(sheet.lines, sheet.rows, strict=True):
        family, count = row["family"], row["flora"]
        if not family:
            problems.append(Problem("No family is named.", f"flora, line {line}, column family", expected="a family"))
        elif whole_number(count, 9_999_999) is None:
            problems.append(
                Problem("This is no number of species.", f"flora, line {line}, column flora", count, "a whole number, 0 or more")
            )
        elif family in flora:
            problems.append(Problem("The family stands twice.", f"flora, line {line}, column family", family, "each family once"))
        else:
            flora[family] = int(count)
    if problems:
        raise InputRefused(*problems)
    return flora


def read_answers(data: bytes, alternatives: int | None = None) -> Answers:
    """Consensus answers: informant, then a column a question; an empty cell is a missing answer.

    Raises InputRefused for an informant who stands twice or has no code, and for a table without questions.
    """
    sheet = read_sheet(data, ("informant",), "answers")
    # A question and an answer are a line each where they are kept.
    asked = {column: _one_line(column) for column in sheet.columns if column != "informant"}
    questions = [*asked.values()]
    if not questions:
        raise InputRefused(
            Problem("The table has no questions.", "answers, header", "informant alone", "a column for each question")
        )
    seen: set[str] = set()
    problems = []
    for line, row in zip(sheet.lines, sheet.rows, strict=True):
        code = _one_line(row["informant"])
        if not code or code in seen:
            what = "The informant stands twice." if code else "No informant is named."
            problems.append(Problem(what, f"answers, line {line}, column informant", row["informant"], "a code, each once"))
        seen.add(code)
    if problems:
        raise InputRefused(*problems)
    given = [[_one_line(row[column]) for column in asked] for row in sheet.rows]
    informants = [_one_line(row["informant"]) for row in sheet.rows]
    return answers_of(informants, questions, given, alternatives)


def _one_line(cell: str) -> str:
    """A cell as one line of text, without control characters."""
    return clean(" ".join(cell.split()))
