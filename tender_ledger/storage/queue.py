"""The queue of long work, kept in PostgreSQL: requests put work in, a worker process takes it out, on whichever machine.

The queue is procrastinate's, in a schema of its own. What is told of a piece of work are numbers and settings, never content.
"""

import asyncio
from collections.abc import Callable, Mapping
from typing import Any

from procrastinate import App, PsycopgConnector, RetryStrategy, SyncPsycopgConnector
from procrastinate.exceptions import AlreadyEnqueued
from procrastinate.jobs import Status
from procrastinate.schema import SchemaManager

from tender_ledger.storage.database import UNAVAILABLE, connection_options, database, run

SCHEMA = "queue"
_TASK = "work"
_BEAT, _SILENT = 2.0, 15.0  # seconds between a worker's signs of life, and without one until its work is done by another
_TRIES = 3  # work that ends its worker so often is given up
_AGAIN = 3  # seconds until work is done again that the database was away for
_AT_ONCE = 2  # pieces of work of one worker
_SIGNED_OFF = 20.0  # seconds for what is under way when a worker is stopped

_deferring = App(connector=SyncPsycopgConnector())


def schema_statements() -> str:
    """The statements that make the queue's tables and functions, as the library ships them, for a cursor that reads %."""
    return str(SchemaManager.get_schema()).replace("%", "%%")


def put(said: Mapping[str, Any], *, lock: str, after: int = 0, priority: int = 0) -> None:
    """Put work into the queue in the caller's transaction, so that it is there exactly when what else was written is.

    It is done no sooner than `after` seconds from now. Of one `lock` one piece of work is done at a time and one waits;
    another that would wait is not put in. Work of a higher priority is taken out first.
    """
    try:
        with database.atomic():
            task = _deferring.configure_task(
                _TASK,
                allow_unknown=True,
                lock=lock,
                queueing_lock=lock,
                connection=database.connection(),
                priority=priority,
                schedule_in={"seconds": after} if after else None,
            )
            task.defer(**said)
    except AlreadyEnqueued:
        return


def take_back(lock: str) -> None:
    """Take work that waits out of the queue, since it was done otherwise."""
    run("DELETE FROM procrastinate_jobs WHERE lock = %(lock)s AND status = 'todo'", lock=lock)


def take_out(url: str, do: Callable[[Mapping[str, Any]], None], give_up: Callable[[Mapping[str, Any]], None]) -> None:
    """Do work from the queue until SIGINT or SIGTERM; what a worker that died left is done again, or given up.

    `do` and `give_up` are called in threads; where the database is away, what `do` was at is done again. Raises a
    ConnectorException where the queue cannot be read.
    """
    connector = PsycopgConnector(conninfo=url, min_size=1, max_size=_AT_ONCE + 3, kwargs={"options": connection_options(url)})
    app = App(connector=connector)

    @app.task(name=_TASK, retry=RetryStrategy(wait=_AGAIN, retry_exceptions=UNAVAILABLE))
    def work(**said: Any) -> None:
        do(said)

    async def run() -> None:
        async with app.open_async():
            mending = asyncio.create_task(_mend(app, give_up))
            try:
                await app.run_worker_async(
                    concurrency=_AT_ONCE,
                    delete_jobs="always",
                    fetch_job_polling_interval=2.0,
                    update_heartbeat_interval=_BEAT,
                    stalled_worker_timeout=_SILENT,
                    shutdown_graceful_timeout=_SIGNED_OFF,
                )
            finally:
                mending.cancel()

    asyncio.run(run())


async def _mend(app: App, give_up: Callable[[Mapping[str, Any]], None]) -> None:
    """Take up what workers left that gave no sign of life."""
    jobs = app.job_manager
    while True:
        for job in await jobs.get_stalled_jobs(seconds_since_heartbeat=_SILENT):
            if job.attempts + 1 < _TRIES:
                await jobs.retry_job(job)
            else:
                await asyncio.to_thread(give_up, job.task_kwargs)
                await jobs.finish_job(job, Status.FAILED, delete_job=True)
        await asyncio.sleep(_BEAT)
