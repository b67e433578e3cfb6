"""Foreign keys of many rows checked together: what PostgreSQL would refuse is refused, and what is pointed at stays."""

import threading

import pytest
from psycopg import connect

from tender_ledger.core.terms import Scope
from tender_ledger.launch.cluster import Cluster
from tender_ledger.operations.errors import Refused, constraints_as_refusals
from tender_ledger.storage.bulk import references_checked_together
from tender_ledger.storage.database import BrokenReference, connected, database, rows, run, value
from tender_ledger.storage.roles import APPLICATION

_COLUMNS = """study_id, encounter_id, informant_id, plant_id, basis_id, stance_id, outcome_id, stage_id, recorded_by,
              client_key"""


def copy_one(**changed: str) -> None:
    """Write the first report of the study once more, some columns otherwise."""
    taken = {name: changed.get(name, name) for name in (one.strip() for one in _COLUMNS.split(","))}
    taken["client_key"] = "gen_random_uuid()"
    run(f"INSERT INTO use_report ({', '.join(taken)}) SELECT {', '.join(taken.values())} FROM use_report WHERE id = 1")


def foreign_keys_of(table: str) -> set[str]:
    return {one["conname"] for one in rows("SELECT conname FROM pg_constraint WHERE contype = 'f' AND conrelid = %(t)s::regclass",
                                           t=table)}  # fmt: skip


def test_rows_in_order_land_and_the_checks_of_postgresql_are_back_afterwards(scope: Scope) -> None:
    there = value("SELECT count(*) FROM use_report")
    with database.atomic():
        with references_checked_together({"use_report": "id"}):
            copy_one(stage_id="NULL")
        assert value("SHOW session_replication_role") == "origin"
    assert value("SELECT count(*) FROM use_report") == there + 1
    with pytest.raises(Refused), constraints_as_refusals(), database.atomic():
        copy_one(plant_id="plant_id + 100000")


@pytest.mark.parametrize(
    ("column", "constraint"),
    [("encounter_id", "use_report_teller_present"), ("informant_id", "use_report_teller_present"),
     ("plant_id", "use_report_study_id_plant_id_fkey"), ("basis_id", "use_report_basis_id_fkey"),
     ("stance_id", "use_report_stance_id_fkey"), ("outcome_id", "use_report_outcome_id_fkey"),
     ("recorded_by", "use_report_recorded_by_fkey")],
)  # fmt: skip
def test_a_row_that_points_at_nothing_is_refused_under_the_name_that_postgresql_gives(
    scope: Scope, column: str, constraint: str
) -> None:
    there = value("SELECT count(*) FROM use_report")
    with pytest.raises(BrokenReference) as refused, database.atomic(), references_checked_together({"use_report": "id"}):
        copy_one(**{column: f"{column} + 1000000"})
    assert refused.value.constraint == constraint
    assert constraint in foreign_keys_of("use_report")
    assert value("SELECT count(*) FROM use_report") == there


def test_a_row_cannot_point_into_another_study(scope: Scope) -> None:
    run("INSERT INTO study (code, title, zone) VALUES ('OTHER', 'Other', 'UTC')")
    run("INSERT INTO plant (study_id, number) SELECT id, 1 FROM study WHERE code = 'OTHER'")
    with pytest.raises(BrokenReference), database.atomic(), references_checked_together({"use_report": "id"}):
        copy_one(plant_id="(SELECT max(id) FROM plant)")


def test_rows_of_before_are_not_asked_again(scope: Scope) -> None:
    with database.atomic():
        run("SET LOCAL session_replication_role = replica")
        copy_one(plant_id="999999999")
    with database.atomic(), references_checked_together({"use_report": "id"}):
        copy_one()


def test_what_new_rows_point_at_cannot_be_deleted_before_they_are_there(scope: Scope) -> None:
    """As with PostgreSQL's own checks: whoever deletes it waits, and is refused."""
    run("INSERT INTO plant (study_id, number) VALUES (%(study)s, 90001)", study=scope.study_id)
    plant = value("SELECT max(id) FROM plant")
    outcome: list[str] = []

    def delete() -> None:
        with connected():
            try:
                run("SET lock_timeout = '300ms'")
                run("DELETE FROM plant WHERE id = %(id)s", id=plant)
                outcome.append("deleted")
            except Exception as error:
                outcome.append(type(error).__name__ + str(error)[:40])

    with database.atomic():
        with references_checked_together({"use_report": "id"}):
            copy_one(plant_id=str(plant))
        other = threading.Thread(target=delete)
        other.start()
        other.join()
    assert "lock timeout" in outcome[0]


def test_without_the_right_to_switch_them_off_the_checks_stay_on(scope: Scope, cluster: Cluster) -> None:
    with connect(cluster.owner_url(), autocommit=True) as owner:
        owner.execute(f"REVOKE SET ON PARAMETER session_replication_role FROM {APPLICATION}")
        try:
            with database.atomic(), references_checked_together({"use_report": "id"}):
                assert value("SHOW session_replication_role") == "origin"
                copy_one()
        finally:
            owner.execute(f"GRANT SET ON PARAMETER session_replication_role TO {APPLICATION}")
