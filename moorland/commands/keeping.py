"""`moorland duties`, `moorland backup` and `moorland restore`: the workspace kept from the machine itself."""

from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from moorland.commands.console import messages, output
from moorland.commands.serving import set_up_django
from moorland.commands.workspace import MACHINE


class DutyAct(StrEnum):
    """What is done with duties."""

    list_ = "list"
    give = "give"
    take = "take"


def duties(
    act: Annotated[DutyAct, typer.Argument(help="list: every duty; give: a ready-made set over everything; take: every duty given to the account.")],
    login: Annotated[str, typer.Argument(help="The login of an account.")] = "",
    ready: Annotated[str, typer.Option("--set", help="keeper, security, people-desk, model-keeper, auditor or helpdesk.")] = "",
) -> None:
    """What accounts may do: the way back in when nobody can give duties. What is given and taken goes to the trail."""
    set_up_django()
    from moorland.server.directory.machine import given, listed, taken
    from moorland.server.errors import Failure

    try:
        if act == DutyAct.list_:
            for line in listed():
                output.print(line, markup=False, soft_wrap=True)
        elif not login or (act == DutyAct.give and not ready):
            messages.print("Name the login, and to give, the set: moorland duties give LOGIN --set keeper.", markup=False)
            raise typer.Exit(2)
        else:
            output.print(given(login, ready, MACHINE) if act == DutyAct.give else taken(login, MACHINE), markup=False)
    except Failure as failure:
        messages.print(failure.message, markup=False)
        raise typer.Exit(2) from None


def backup(file: Annotated[Path, typer.Argument(help="The file to write; it must not be there yet.")]) -> None:
    """Copies the whole workspace into one file, while it is in use. Keys are not in it: keep the folder's key files apart."""
    set_up_django()
    from moorland.server.backup import KEYS, backed_up
    from moorland.server.errors import Failure

    try:
        size = backed_up(file, MACHINE)
    except Failure as failure:
        messages.print(failure.message, markup=False)
        raise typer.Exit(2) from None
    output.print(f"{file}: {size / 1_000_000:.1f} MB. Keep {', '.join(KEYS)} of the workspace's folder apart from it.", markup=False)


def restore(file: Annotated[Path, typer.Argument(help="A file that moorland backup wrote.")]) -> None:
    """Puts a backup in the place of the workspace in the folder DATA; the server must not be running, and the keys must be there."""
    set_up_django()
    from moorland.server.backup import restored
    from moorland.server.errors import Failure

    try:
        entries = restored(file, MACHINE)
    except Failure as failure:
        messages.print(failure.message, markup=False)
        raise typer.Exit(2) from None
    output.print(f"The workspace is that of {file}; its trail has {entries} entries. Everybody signs in anew.", markup=False)
