"""What whoever takes every file out of a study could work out: nothing of few, by whatever pair, filter, grouping or day.

Studies are drawn at random, every file of every view is taken out by everybody who may, and the cells in them are set against
the reports themselves, by code that knows nothing of how cells are chosen (tests/core/disclosing.py).
"""

import csv
import io
import random
from dataclasses import dataclass, field
from urllib.parse import urlencode

import pytest
from flask.testing import FlaskClient

from tender_ledger.core.rights import Role
from tender_ledger.core.rules import CountingRules
from tender_ledger.operations import accounts, freezing, members, people
from tender_ledger.storage.database import rows, value
from tender_ledger.web.app import create_app
from tests.conftest import settings
from tests.core.disclosing import Cell, Row, audit, cells_of
from tests.factories import PASSWORD, SmallStudy

TAXA = {
    "Salix caprea": "Salicaceae",
    "Salix alba": "Salicaceae",
    "Plantago lanceolata": "Plantaginaceae",
    "Betula pendula": "Betulaceae",
}
CATEGORIES = ("food", "medicines", "materials")
PARTS = ("leaf", "root", "bark")
Found = dict[Cell, float]


@dataclass
class Drawn:
    """A study drawn at random, with what its reports are, by whom, and who lets rows leave."""

    seed: int
    small: SmallStudy = field(default_factory=SmallStudy)
    rows: set[Row] = field(default_factory=set)
    protected: set[int] = field(default_factory=set)
    where: dict[str, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.chance = random.Random(self.seed)
        places = {"X": self.small.community}
        for code in ("Y", "Z")[: self.chance.randint(1, 2)]:
            places[code] = people.add_community(self.small.scope, code=code, name=f"{code}anmere")
        self.plants = {taxon: self.small.plant(taxon) for taxon in TAXA}
        self.informants, self.talks = {}, {}
        for at in range(1, self.chance.randint(9, 14)):
            code, place = f"H-{at}", self.chance.choice(sorted(places))
            by_row = self.chance.random() < 0.4
            profile = {"code": code, "community_id": places[place], "gender": ("woman", "man")[at % 2]}
            people.add_holder(self.small.scope, profile)
            self.small.agree(code, may_publish_rows=by_row)
            self.informants[code] = value(
                "SELECT i.id FROM informant i JOIN holder h ON h.id = i.holder_id WHERE h.code = %(c)s AND h.study_id = %(s)s",
                c=code,
                s=self.small.scope.study_id,
            )
            self.where[code] = place
            self.talks[code] = self.small.encounter(self.informants[code], title=f"Talk with {code}", day=f"{at} May 2026")
            if not by_row:
                self.protected.add(self.informants[code])
            for _ in range(self.chance.randint(1, 4)):
                self.tell(code)

    def tell(self, code: str) -> None:
        taxon, category = (self.chance.choice(sorted(one)) for one in (TAXA, CATEGORIES))
        self.small.report(self.talks[code], code, self.plants[taxon], category, parts=self.chance.choice(PARTS))
        self.rows.add((self.informants[code], taxon, TAXA[taxon], category, self.where[code]))


def client_of(url: str, email: str) -> FlaskClient:
    app = create_app(settings(url))
    app.config.update(TESTING=True, WTF_CSRF_ENABLED=False)
    client = app.test_client()
    assert client.post("/sign-in", data={"email": email, "password": PASSWORD}).status_code == 303
    return client


def table(client: FlaskClient, address: str) -> list[dict[str, str]]:
    """The rows of a CSV file; none where it is not given out."""
    answer = client.get(address)
    assert answer.status_code in (200, 404, 422), (address, answer.status_code, answer.text[:300])
    return list(csv.DictReader(io.StringIO(answer.text))) if answer.status_code == 200 else []


def labels() -> dict[str, str]:
    found = rows("""SELECT t.code, l.label FROM vocabulary_term t JOIN term_label l ON l.term_id = t.id
        WHERE t.vocabulary = 'category' AND t.scheme = 'economic_botany' AND l.language = 'en'""")
    return {one["label"]: one["code"] for one in found}


def ladders(client: FlaskClient, at: str, groups: list[str], own: str) -> Found:
    found: Found = {}
    asked = [{}, {"category": "food"}, {"family": "Salicaceae"}, {"part": "leaf"}, {"community": "X"}, {"index": "fc"}]
    for group in groups:
        for more in asked:
            for row in table(client, f"{at}/reckoning/ladder.csv?{urlencode({'group': group, **more})}"):
                where = group or own
                found["use", row["taxon"], "", where] = float(row["reports"])
                found |= {("use", row["taxon"], code, where): float(row[code]) for code in CATEGORIES if row.get(code)}
    return found


def indices(client: FlaskClient, at: str, groups: list[str], own: str) -> Found:
    found, codes = {}, labels()
    for group in groups:
        where, asked = group or own, urlencode({"group": group})
        for row in table(client, f"{at}/reckoning/indices/importance.csv?{asked}"):
            found["use", row["taxon"], "", where] = float(row["ur"])
        for row in table(client, f"{at}/reckoning/indices/agreement.csv?{asked}"):
            found["use", "", codes[row["category"]], where] = float(row["nur"])
        for row in table(client, f"{at}/reckoning/indices/families.csv?{asked}"):
            found["family", row["family"], where] = float(row["ur"])
        for row in table(client, f"{at}/reckoning/indices/fidelity.csv?{asked}"):
            found |= {("use", row["taxon"], codes[one], where): -1.0 for one in row["purpose"].split(", ")}
        for row in table(client, f"{at}/reckoning/indices/spread.csv?{asked}"):
            found["use", row["taxon"], "", where] = -1.0
    return found


def sides(client: FlaskClient, at: str, names: dict[str, str]) -> Found:
    """Communities in groups, and every pair of them in full."""
    found, codes = {}, labels()
    for row in table(client, f"{at}/reckoning/groups/groups.csv?by=community"):
        if row["ur"]:
            found["use", "", "", names[row["group"]]] = float(row["ur"])
    for one in sorted(names.values()):
        for other in sorted(names.values()):
            asked = urlencode({"by": "community", "pair": f"{one}|{other}"})
            for row in table(client, f"{at}/reckoning/groups/pair-plants.csv?{asked}") if one < other else ():
                found |= {
                    ("use", row["taxon"], "", side): -1.0
                    for side, ci in ((one, row["first"]), (other, row["second"]))
                    if float(ci)
                }
            for row in table(client, f"{at}/reckoning/groups/pair-categories.csv?{asked}") if one < other else ():
                found |= {
                    ("use", "", codes[row["category"]], side): float(nur)
                    for side, nur in ((one, row["nur"]), (other, row["nur_2"]))
                    if float(nur)
                }
    return found


def counts(client: FlaskClient, at: str) -> Found:
    found: Found = {}
    for row in table(client, f"{at}/give-back/counts.csv"):
        if not row["reports"]:
            continue
        if row["family"] and not row["taxon"]:
            found["family", row["family"], row["community"]] = float(row["reports"])
        else:
            found["use", row["taxon"], row["category"], row["community"]] = float(row["reports"])
    return found


def frozen(client: FlaskClient, at: str, number: int) -> Found:
    codes = labels()
    found: Found = {
        ("use", row["taxon"], "", ""): float(row["ur"]) for row in table(client, f"{at}/reckoning/frozen/{number}/values.csv")
    }
    return found | {
        ("use", "", codes[row["category"]], ""): float(row["nur"])
        for row in table(client, f"{at}/reckoning/frozen/{number}/categories.csv")
    }


def everything(drawn: Drawn, client: FlaskClient, own: str = "") -> dict[str, Found]:
    """Every cell in every file that somebody takes out: by view, in the order of taking. A number that is no count is −1."""
    at, names = f"/study/{drawn.small.code}", {f"{code}anmere": code for code in set(drawn.where.values())}
    groups = [""] if own else ["", *sorted(names.values())]
    return {
        "ladder": ladders(client, at, groups, own),
        "indices": indices(client, at, groups, own),
        "groups": {} if own else sides(client, at, names),
        "counts": counts(client, at),
    }


def small_parts(drawn: Drawn, client: FlaskClient) -> list[str]:
    """Shares of parts, by plant, category and community, behind which too few stand: read off the files."""
    codes, few = labels(), []
    names = {f"{code}anmere": code for code in set(drawn.where.values())}
    told = rows(
        """SELECT r.informant_id AS who, x.name AS taxon, v.code AS category, c.code AS community, p.code AS part
        FROM use_report r JOIN report_part m ON m.report_id = r.id JOIN vocabulary_term p ON p.id = m.part_id
        JOIN report_coding k ON k.report_id = r.id JOIN vocabulary_term v ON v.id = k.category_id
        JOIN plant l ON l.id = r.plant_id JOIN determination d ON d.plant_id = l.id AND d.is_current
        JOIN taxon x ON x.id = d.taxon_id JOIN informant i ON i.id = r.informant_id JOIN holder h ON h.id = i.holder_id
        JOIN community c ON c.id = h.community_id WHERE r.study_id = %(s)s""",
        s=drawn.small.scope.study_id,
    )
    for by, of in (("taxon", {}), ("category", codes), ("community", names)):
        for row in table(client, f"/study/{drawn.small.code}/reckoning/parts/parts-{by}.csv"):
            for part in PARTS:
                if row.get(f"part_{part}") and float(row[f"part_{part}"]):
                    holders = {one["who"] for one in told if one["part"] == part and one[by] == of.get(row["of"], row["of"])}
                    if len(holders) < 3 or 0 < len(holders & drawn.protected) < 3:
                        few.append(f"{by} {row['of']} {part}: {len(holders)}")
    return few


def check(drawn: Drawn, found: dict[str, Found], seen_before: frozenset[Cell] = frozenset()) -> tuple[int, int]:
    """Every cell is what the reports say, the same in every file, and nothing of few can be had; how many pairs and hidden."""
    of = cells_of(sorted(drawn.rows))
    shown: set[Cell] = set()
    for cells in found.values():
        for cell, number in cells.items():
            assert cell in of, cell
            assert number in (-1.0, len(of[cell])), (cell, number, len(of[cell]))
            shown.add(cell)
    result = audit(sorted(drawn.rows), shown, protected=drawn.protected)
    assert (result.small, result.differences) == ((), ())
    listed = found["counts"].keys()
    assert {cell for cells in found.values() for cell in cells if cell not in listed} == set()  # hidden there: hidden everywhere
    return result.pairs, result.hidden


@pytest.mark.parametrize("seed", range(2))
def test_no_file_of_a_state_tells_of_few_beside_any_other(empty_db: str, seed: int):
    drawn = Drawn(seed)
    number = freezing.freeze_reckoning(drawn.small.scope, CountingRules(), "As it is")
    client, at = client_of(empty_db, drawn.small.email), f"/study/{drawn.small.code}"
    found = everything(drawn, client) | {"frozen": frozen(client, at, number)}
    pairs, hidden = check(drawn, found)
    assert pairs > 0
    assert hidden > 0
    assert small_parts(drawn, client) == []
    again = everything(drawn, client)  # taking out changes nothing of what is taken out
    assert again == {view: cells for view, cells in found.items() if view != "frozen"}
    for community in sorted(set(drawn.where.values())):
        keeper = guardian(drawn, community)
        theirs = everything(drawn, client_of(empty_db, keeper), own=community)
        whole = {cell for cells in found.values() for cell in cells}
        assert {cell for cells in theirs.values() for cell in cells} <= whole
    refused_views(client, at)


def guardian(drawn: Drawn, community: str) -> str:
    email = f"guardian-{community}-{drawn.small.code}@small.example".lower()
    accounts.add_person(email, "G. Uardian", PASSWORD)
    number = value("SELECT id FROM community WHERE code = %(c)s AND study_id = %(s)s", c=community, s=drawn.small.scope.study_id)
    members.add_member(drawn.small.scope, email, Role.GUARDIAN, number)
    return email


def refused_views(client: FlaskClient, at: str) -> None:
    """What is cut in another way is given out by nobody, and says so on its page."""
    for page, file, said in (
        ("groups?by=gender", "groups/groups.csv?by=gender", "stay here"),
        ("groups?by=period&since=2026-05-05", "groups/groups.csv?by=period&since=2026-05-05", "stay here"),
        ("indices?nc=20", "indices/importance.csv?nc=20", "by the rules in force alone"),
        ("holders", "holders/community.csv", "given out as no file"),
    ):
        answer = client.get(f"{at}/reckoning/{file}")
        assert answer.status_code == 422, (file, answer.text[:200])
        assert said in client.get(f"{at}/reckoning/{page}").text, page
    assert client.get(f"{at}/reckoning/ladder.csv?nc=20").status_code == 422


@pytest.mark.parametrize("seed", range(2))
def test_no_later_file_tells_of_few_beside_an_earlier_one(empty_db: str, seed: int):
    """Files are taken out, somebody tells more, files are taken out again: what differs, differs by enough."""
    drawn = Drawn(100 + seed)
    client = client_of(empty_db, drawn.small.email)
    states: list[tuple[set[Row], Found]] = []
    for _day in range(4):
        found = everything(drawn, client)
        check(drawn, found)
        states.append((set(drawn.rows), {cell: number for cells in found.values() for cell, number in cells.items()}))
        for _ in range(drawn.chance.randint(1, 3)):
            drawn.tell(drawn.chance.choice(sorted(drawn.talks)))
    compared = 0
    for at, (before, early) in enumerate(states):
        for after, late in states[at + 1 :]:
            for cell in early.keys() & late.keys():
                then, now = ({row for row in of if belongs(row, cell)} for of in (before, after))
                differ = {row[0] for row in then ^ now}
                compared += 1
                assert not differ or (len(differ) >= 3 and not 0 < len(differ & drawn.protected) < 3), (cell, differ)
    assert compared > 0


def belongs(row: Row, cell: Cell) -> bool:
    _holder, taxon, family, category, community = row
    if cell[0] == "family":
        return cell[1] == family and cell[2] in ("", community)
    return cell[1] in ("", taxon) and cell[2] in ("", category) and cell[3] in ("", community)
