"""Invented rows for the benchmark, put straight into the tables: only their number and shape matter."""

import uuid

import numpy as np

from tender_ledger.core.rights import Role
from tender_ledger.core.terms import Member, Purpose, Scope
from tender_ledger.operations import clock
from tender_ledger.storage.database import copy_rows, run
from tender_ledger.storage.database import value as one_number
from tender_ledger.storage.queries.studies import terms

_CODE = "BENCH"


COMMUNITIES, CATEGORIES = 20, 15
_SCHEME = "bench"


def fill_study(reports: int, informants: int, taxa: int, seed: int = 1, code: str = _CODE) -> None:
    """A study of twenty communities whose holders all agreed to be counted, with a scheme of fifteen categories.

    Reports fall on few taxa often, on many rarely; one in fifty does not say the part.
    """
    rng = np.random.default_rng(seed)
    person = one_number(
        """INSERT INTO person (email, email_fold, name, password_hash)
           VALUES (%(mail)s, %(mail)s, 'Bench', '-') RETURNING id""",
        mail=f"{code.lower()}@b",
    )
    study = one_number("INSERT INTO study (code, title, zone, scheme) VALUES (%(code)s, 'Bench', 'UTC', %(scheme)s) RETURNING id",
                       code=code, scheme=_SCHEME)  # fmt: skip
    run("INSERT INTO membership (study_id, person_id, role) VALUES (%(s)s, %(p)s, 'owner')", s=study, p=person)
    run("INSERT INTO community (study_id, code, name) SELECT %(s)s, 'C' || n, 'C' || n FROM generate_series(1, %(n)s) n",
        s=study, n=COMMUNITIES)  # fmt: skip
    run(
        """INSERT INTO holder (study_id, code, community_id, recorded_by)
           SELECT %(s)s, 'H-' || n, (SELECT min(id) FROM community WHERE study_id = %(s)s) + n %% %(c)s, %(p)s
           FROM generate_series(1, %(n)s) n""",
        s=study,
        p=person,
        n=informants,
        c=COMMUNITIES,
    )
    run("INSERT INTO informant (study_id, holder_id) SELECT study_id, id FROM holder WHERE study_id = %(s)s", s=study)
    run(
        """INSERT INTO consent (study_id, holder_id, agreed_on, form, may_record, may_count, may_show, may_publish_aggregate,
                                may_publish_verbatim)
           SELECT study_id, id, '2020-01-01', 'oral', true, true, true, true, false FROM holder WHERE study_id = %(s)s""",
        s=study,
    )
    run(
        """INSERT INTO encounter (study_id, number, kind, title, day_from, day_to, community_id, recorded_by)
           SELECT %(s)s, n, 'interview', 'E' || n, '2021-01-01', '2021-01-01',
                  (SELECT min(id) FROM community WHERE study_id = %(s)s), %(p)s FROM generate_series(1, %(n)s) n""",
        s=study,
        p=person,
        n=2 * informants,
    )
    _plants(study, taxa)
    _purposes(study)
    first = {table: one_number(f"SELECT min(id) FROM {table} WHERE study_id = %(s)s", s=study)
             for table in ("informant", "encounter", "plant", "purpose")}  # fmt: skip
    run(
        """INSERT INTO encounter_informant (study_id, encounter_id, informant_id)
           SELECT %(s)s, %(e)s + 2 * (i.id - %(i)s) + k, i.id FROM informant i, generate_series(0, 1) k
           WHERE i.study_id = %(s)s""",
        s=study,
        e=first["encounter"],
        i=first["informant"],
    )
    _reports(study, person, reports, informants, taxa, first, rng)
    run("ANALYZE")


def _plants(study: int, taxa: int) -> None:
    listed = one_number("INSERT INTO checklist (study_id, name, version) VALUES (%(s)s, 'bench', '1') RETURNING id", s=study)
    run(
        """INSERT INTO taxon (checklist_id, name, rank, genus, family, name_fold)
           SELECT %(c)s, 'Genus' || n / 3 || ' species' || n, 'species', 'Genus' || n / 3, 'Family' || n %% 80,
                  'genus' || n / 3 || ' species' || n
           FROM generate_series(1, %(n)s) n""",
        c=listed,
        n=taxa,
    )
    run("INSERT INTO plant (study_id, number) SELECT %(s)s, n FROM generate_series(1, %(n)s) n", s=study, n=taxa)
    run(
        """INSERT INTO determination (study_id, plant_id, taxon_id, basis, confidence, determiner, determined_on)
           SELECT p.study_id, p.id, (SELECT min(id) FROM taxon WHERE checklist_id = %(c)s) + p.number - 1, 'specimen', 'sure',
                  'Bench', '2021-01-01' FROM plant p WHERE p.study_id = %(s)s""",
        s=study,
        c=listed,
    )


def _purposes(study: int) -> None:
    run(
        """WITH made AS (INSERT INTO vocabulary_term (study_id, vocabulary, scheme, code, abbreviation, position)
               SELECT %(s)s, 'category', %(scheme)s, 'use_' || chr(96 + n), 'U' || chr(64 + n), n
               FROM generate_series(1, %(n)s) n RETURNING id, code)
           INSERT INTO term_label (term_id, language, label) SELECT id, 'en', code FROM made""",
        s=study,
        scheme=_SCHEME,
        n=CATEGORIES,
    )
    run(
        """INSERT INTO purpose (study_id, category_id, label, label_fold)
           SELECT %(s)s, c.id, 'use ' || n, 'use ' || n FROM vocabulary_term c, generate_series(1, 10) n
           WHERE c.vocabulary = 'category' AND c.study_id = %(s)s ORDER BY c.id, n""",
        s=study,
    )


def _reports(
    study: int, person: int, reports: int, informants: int, taxa: int, first: dict[str, int], rng: np.random.Generator
) -> None:
    informant = rng.integers(0, informants, reports)
    plant = np.minimum(rng.geometric(4 / taxa, reports) - 1, taxa - 1)
    encounter = 2 * informant + rng.integers(0, 2, reports)
    terms = {name: _terms(name) for name in ("basis", "stance", "outcome")}
    basis = rng.choice(terms["basis"], reports)
    stance = np.where(rng.random(reports) < 0.95, terms["stance"][0], terms["stance"][1])
    outcome = rng.choice(terms["outcome"], reports)
    start = one_number("SELECT coalesce(max(id), 0) + 1 FROM use_report")
    columns = (
        "study_id",
        "encounter_id",
        "informant_id",
        "plant_id",
        "basis_id",
        "stance_id",
        "outcome_id",
        "recorded_by",
        "client_key",
        "words",
    )
    drawn = zip(
        encounter.tolist(), informant.tolist(), plant.tolist(), basis.tolist(), stance.tolist(), outcome.tolist(), strict=True
    )
    copy_rows(
        "use_report",
        columns,
        (
            (
                study,
                first["encounter"] + e,
                first["informant"] + i,
                first["plant"] + p,
                b,
                s,
                o,
                person,
                uuid.UUID(int=study * 10**9 + at),
                f"told of it in so many words, number {at} and so on",
            )
            for at, (e, i, p, b, s, o) in enumerate(drawn, 1)
        ),
    )
    run(
        """INSERT INTO report_coding (study_id, report_id, scheme, category_id, purpose_id)
           SELECT r.study_id, r.id, %(scheme)s, u.category_id, u.id
           FROM (SELECT study_id, id, ('x' || substr(md5(id::text), 1, 6))::bit(24)::int %% (10 * %(n)s) AS k FROM use_report
                 WHERE study_id = %(s)s AND id >= %(start)s) r JOIN purpose u ON u.id = %(first)s + r.k""",
        s=study,
        start=start,
        first=first["purpose"],
        scheme=_SCHEME,
        n=CATEGORIES,
    )
    run(
        """INSERT INTO report_part (study_id, report_id, part_id)
           SELECT r.study_id, r.id, (%(parts)s::bigint[])[1 + r.id %% cardinality(%(parts)s::bigint[])]
           FROM use_report r WHERE r.study_id = %(s)s AND r.id >= %(start)s AND r.id %% 50 > 0""",
        s=study,
        start=start,
        parts=_terms("part"),
    )


def _terms(vocabulary: str) -> list[int]:
    return [int(term["id"]) for term in terms(0, vocabulary)]


def bench_scope() -> Scope:
    """The scope of the bench study's owner for counting."""
    study = one_number("SELECT id FROM study WHERE code = %(code)s", code=_CODE)
    person = one_number("SELECT person_id FROM membership WHERE study_id = %(s)s", s=study)
    member = Member(person, study, frozenset({Role.OWNER}))
    return Scope(member, Purpose.COUNTED, clock.today(study))
