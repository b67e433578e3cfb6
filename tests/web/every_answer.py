"""Everything that can be read of a study, by everybody who may read it: addresses, answers with what changes masked, commands."""

import re
import tempfile
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import urlencode

from click.testing import CliRunner
from flask import Flask
from flask.testing import FlaskClient

from tender_ledger.cli.__main__ import ledger
from tender_ledger.core.rights import Role, may
from tender_ledger.storage.database import disconnect, value
from tender_ledger.web.app import create_app
from tender_ledger.web.reckoning.views import VIEWS
from tests.conftest import settings as web_settings
from tests.factories import PASSWORD
from tests.web.test_routes import NEEDS

TOLD = (
    "holder",
    "encounter",
    "plant",
    "local_name",
    "use_report",
    "community_restriction",
    "free_list",
    "picture",
)  # whose histories are read
MASKS = (
    (re.compile(r"[0-9a-f]{8}-[0-9a-f]{4}-4[0-9a-f]{3}-[0-9a-f]{4}-[0-9a-f]{12}"), "a form’s key"),
    (re.compile(r"(csrf.token|X-CSRFToken)[^>]{0,200}", re.I), r"\1"),
    (re.compile(r'(name="version"[^>]{0,40}value=")\d+', re.I), r"\1"),
    (re.compile(r'("revision": |revision (?:<b>)?|choices\?at=)\d+', re.I), r"\1"),
)


def numbers() -> dict[str, list[object]]:
    """Of each kind of record one that both databases have, and the first that only the second one can have."""
    last = {table: value(f"SELECT coalesce(max({column}), 0) FROM {table}")
            for table, column in (("encounter", "number"), ("plant", "number"), ("use_report", "id"))}  # fmt: skip
    return {
        "encounters": [1, last["encounter"] + 1],
        "plants": [1, last["plant"] + 1],
        "reports": [1, last["use_report"] + 1],
        "holders": ["H-1", "SECRET-9"],
        "communities": ["X"],
        "permits": [1],
        "sources": ["x"],
        "pictures": [1],
        "specimens": [1],
        "lists": [1],
        "frozen": [value("SELECT coalesce(max(id), 0) FROM frozen_reckoning")],
        "questionnaires": [value("SELECT coalesce(max(id), 0) FROM questionnaire")],
        "reckoning": [*VIEWS],
        "history": [(entity, number) for entity in TOLD for number in first_and_next(entity)],
    }


# Of every view of the reckoning a part that is given out as a file.
BLOCKS = {"indices": "importance", "heard": "taxa", "groups": "groups", "holders": "tests", "matrix": "matrix",
          "lists": "salience", "parts": "parts-category", "compare": "plants", "overuse": "families"}  # fmt: skip


# Views that set those who are counted in groups: by every ground, every period and every community.
SPLITS = (
    *(f"groups?by={by}" for by in ("community", "gender", "age", "occupation", "kind")),
    *(f"groups?by=period&since=2026-{day}" for day in ("05-03", "05-04", "06-04", "06-05", "07-05", "07-06")),
    *(f"{view}?group={group}" for view in ("indices", "heard", "lists") for group in ("X", "Y")),
    *(f"holders?measure={measure}" for measure in ("taxa", "uses")),
)
BY_VIEWER = {"holders", "matrix", "lists", "compare"}  # views that show rows of what the viewer may see


# What is looked for: of the hidden by code, name, near spelling, words, purpose and place, and what is there beside them.
SOUGHT = ("secret-9", "SECRET", "secretname list", "secretly caled", "secret words", "secret purpose", "2026", "3 May 2026",
          "salix", "h-1", "a talk", "1", "2", "3", "food", "fuels", "host")  # fmt: skip


def first_and_next(entity: str) -> tuple[int, int]:
    """The number of the first record of a kind, and the one that the next gets."""
    return value(f"SELECT coalesce(min(id), 0) FROM {entity}"), value(f"SELECT coalesce(max(id), 0) + 1 FROM {entity}")


def addresses(app: Flask, code: str, several: dict[str, list[object]]) -> Iterator[tuple[str, str]]:
    """(endpoint, address) of everything that can be read of the study."""
    for rule in app.url_map.iter_rules():
        if "GET" not in (rule.methods or ()) or "/study/" not in rule.rule or "import" in rule.rule:
            continue
        step = next((name for name in several if f"/{name}/<" in rule.rule), "")
        for one in several.get(step, ["x"]):
            values = {name: one for name in rule.arguments if name != "study"} | {"study": code}
            values |= {"block": BLOCKS.get(str(one), "values")} if "block" in rule.arguments else {}
            values |= {"size": "small"} if "size" in rule.arguments else {}
            if isinstance(one, tuple):
                values |= {"entity": one[0], "record": one[1]}
            values |= {"kind": "csv"} if "kind" in rule.arguments else {}
            values |= {"name": "reports.csv"} if "name" in rule.arguments else {}
            with app.test_request_context():
                yield rule.endpoint, app.url_map.bind("localhost").build(rule.endpoint, values)
    for margin in ("ci:Salix%20caprea", "icf:food", "icf:fuels"):
        yield "reckoning.show", f"/study/{code}/reckoning?margin={margin}"
    for page in ("heard?margin=q1:taxa:plants", "heard?margin=heard:taxa:plants", "groups?margin=grouptaxa:groups:X",
                 "indices?margin=toldby:agreement:food", "indices?margin=fuv:families:Salicaceae",
                 "lists?margin=frequency:salience:Salix%20caprea", "parts?margin=named:parts-community:X",
                 "groups?by=kind&margin=groupn:groups:interview"):  # fmt: skip
        yield "reckoning.analysis", f"/study/{code}/reckoning/{page}"
    for split in SPLITS:
        yield "reckoning.analysis", f"/study/{code}/reckoning/{split}"
    for split in ("group=X", "group=Y", "group=X&with=Y", "group=X&show=categories", "group=Y&show=ladder"):
        yield "reckoning.show", f"/study/{code}/reckoning?{split}"
    yield "reckoning.open_frozen", f"/study/{code}/reckoning/frozen/{several['frozen'][0]}?margin=cithen:values:Salix%20caprea"
    for name in ("secretname list", "secretly called", "secretname lisst"):
        yield "plants.name_check", f"/study/{code}/plants/name-check?{urlencode({'name': name})}"
    yield "plants.names", f"/study/{code}/plants/names?all=yes"
    for query in ("category=fuels", "part=root"):
        yield "reckoning.show", f"/study/{code}/reckoning?{query}"


def answers(url: str, emails: dict[str, str], code: str, several: dict[str, list[object]]) -> dict[tuple[str, str, str], str]:
    """Every answer to everybody: (role, endpoint, address) -> status and masked text."""
    app = create_app(web_settings(url))
    app.config.update(TESTING=True, WTF_CSRF_ENABLED=False)
    found = {}
    for role, email in emails.items():
        client: FlaskClient = app.test_client()
        assert client.post("/sign-in", data={"email": email, "password": PASSWORD}).status_code == 303
        for endpoint, address in addresses(app, code, several):
            needed = NEEDS.get(endpoint)
            if needed and not may(frozenset({Role(role)}), needed):
                continue  # refused whatever is there: tests/web/test_routes.py
            whole = "?" not in address  # no margin, which shows reports
            if endpoint == "reckoning.analysis" and whole and role != "reader" and address.rsplit("/", 1)[1] not in BY_VIEWER:
                continue  # computed for the study once, for every member alike
            if endpoint == "reckoning.analysis" and not whole and role not in ("guardian", "reader"):
                continue  # the reports in the margin are seen alike by the others
            if endpoint == "reckoning.analysis_file" and role not in ("reviewer", "guardian"):
                continue  # of what may be published, the owner's are the reviewer's
            answer = client.get(address)
            text = answer.get_data().decode(errors="backslashreplace")
            for pattern, put in MASKS:
                text = pattern.sub(put, text)
            found[role, endpoint, address] = f"{answer.status_code} {text}"
        for sought in SOUGHT:
            beneath = client.post(f"/study/{code}/search", data={"q": sought}, headers={"HX-Request": "true"})
            found[role, "search.find", sought] = f"{beneath.status_code} {beneath.text}"
    disconnect()
    for role, email in emails.items():
        found |= {(role, "command", command): said for command, said in commands(url, email, code).items()}
    return found


def commands(url: str, email: str, code: str) -> dict[str, str]:
    """What the command line gives somebody: the export, file by file, and the indices of what was exported."""
    with tempfile.TemporaryDirectory() as folder:
        run = CliRunner(env={"DATABASE_URL": url}).invoke(ledger, ["export", "--study", code, "--as", email, "--to", folder])
        found = {"export": f"200 {run.output} {run.exception!r}".replace(folder, "")}
        files = {path.name: path for path in sorted(Path(folder).iterdir())}
        found |= {name: f"200 {path.read_text()}" for name, path in files.items()}
        if files:
            asked = ["indices", str(files["reports.csv"]), "--informants", str(files["informants.csv"]), "--json"]
            counted = CliRunner().invoke(ledger, asked)
            found["indices"] = f"200 {counted.output} {counted.exception!r}".replace(folder, "")
    disconnect()
    return found
