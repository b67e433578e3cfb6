"""`./ledger user`: who may sign in."""

import secrets

import click

from tender_ledger.launch.installation import acting_scope, with_database
from tender_ledger.operations import accounts, members
from tender_ledger.storage.queries import people


@click.group()
def user() -> None:
    """Let people sign in, and give them a role in a study."""


@user.command("add")
@click.argument("email")
@click.option("--name", required=True, help="How the person is called on the pages.")
def add_user(email: str, name: str) -> None:
    """Add a person with a random first password, which is printed once."""
    password = secrets.token_urlsafe(12)
    with with_database():
        accounts.add_person(email, name, password)
    click.echo(f"{email} may sign in with the password {password}")


@user.command("join")
@click.argument("email")
@click.option("--study", required=True, help="The code of the study.")
@click.option("--role", required=True, help="owner, recorder, reviewer, reader or guardian.")
@click.option("--community", default="", help="Code of the community that a guardian stands for.")
@click.option("--as", "person", default="", help="The address of the owner who adds; left out: the first owner.")
def join_study(email: str, study: str, role: str, community: str, person: str) -> None:
    """Give a person a role in a study."""
    with with_database():
        scope = acting_scope(study, person)
        known = {one["code"]: one["id"] for one in people.communities(scope)}
        members.add_member(scope, email, role, known.get(community.upper(), ""))
    click.echo(f"{email} is {role} of {study}.")
