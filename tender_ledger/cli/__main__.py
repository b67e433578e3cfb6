"""`./ledger COMMAND`; every command has `--help`."""

import sys

import click

from tender_ledger.cli.backups import backup_database, known_erasures, restore_database
from tender_ledger.cli.bench import bench
from tender_ledger.cli.bench_people import bench_people
from tender_ledger.cli.consensus import analyse_consensus
from tender_ledger.cli.export import export
from tender_ledger.cli.importing import import_reports
from tender_ledger.cli.indices import indices
from tender_ledger.cli.keys import key
from tender_ledger.cli.users import user
from tender_ledger.core.messages import InputRefused
from tender_ledger.core.terms import NotAllowed
from tender_ledger.launch.backup import BackupRefused
from tender_ledger.launch.cluster import ClusterError
from tender_ledger.operations.errors import Refused
from tender_ledger.storage.database import UNAVAILABLE, disk_is_full


@click.group()
def ledger() -> None:
    """Count plant use reports, bring open tables into a study and take them out, back up, and say who may sign in."""


for _command in (
    indices,
    analyse_consensus,
    import_reports,
    export,
    backup_database,
    restore_database,
    known_erasures,
    user,
    key,
    bench,
    bench_people,
):
    ledger.add_command(_command)


def main() -> int:
    """Run the command; a refused input is told on the error stream and ends with status 1."""
    try:
        status = ledger(standalone_mode=False)
    except InputRefused as refused:
        for problem in refused.problems:
            click.echo(str(problem), err=True)
        return 1
    except (Refused, NotAllowed, ClusterError, BackupRefused, LookupError) as refused:
        click.echo(str(refused), err=True)
        return 1
    except UNAVAILABLE as error:
        full = "The disk of the database is full. Nothing was written of this; make room and try again."
        click.echo(full if disk_is_full(error) else "The database does not answer. Try again in a moment.", err=True)
        return 1
    except click.ClickException as error:
        error.show()
        return error.exit_code
    except click.exceptions.Exit as end:
        return int(end.exit_code)
    except click.Abort:
        return 130
    return status if isinstance(status, int) else 0


if __name__ == "__main__":
    sys.exit(main())
