"""`moorland account`, `moorland trail` and `moorland rotate-keys`: what is done on the machine itself, by whoever may read the workspace's folder."""

from enum import StrEnum
from typing import Annotated

import typer

from moorland.commands.bundles import messages, output
from moorland.commands.serving import set_up_django

#: Who acts in the trail when it is the machine's own keeper.
MACHINE = "on the machine"


class TrailAct(StrEnum):
    """What is done with the trail."""

    verify = "verify"


def account(
    login: Annotated[str, typer.Argument(help="The login of an account.")],
    link: Annotated[bool, typer.Option("--link", help="Print a one-time link by which a password is set; valid for an hour.")] = False,
    administrator: Annotated[
        bool, typer.Option("--administrator", help="Let the account keep the workspace; it is made where it is missing, enabled where it is not.")
    ] = False,
) -> None:
    """The way back in when nobody can sign in: a one-time link, or a new keeper of the workspace. Both go to the trail."""
    if not link and not administrator:
        messages.print("Say what to do: --link, --administrator, or both.")
        raise typer.Exit(2)
    set_up_django()
    from moorland.server.directory.machine import appointed, linked
    from moorland.server.errors import Failure

    try:
        if administrator:
            messages.print(appointed(login, MACHINE), markup=False)
        if link:
            made = linked(login, MACHINE)
            messages.print(f"One-time link for {login}, valid until {made.expires_at}. Put the server's address before it:", markup=False)
            output.print(made.path, markup=False)
    except Failure as failure:
        messages.print(failure.message, markup=False)
        raise typer.Exit(2) from None


def trail(act: Annotated[TrailAct, typer.Argument(help="verify: look at every entry's seal.")]) -> None:
    """Whether the trail is as it was written: exit 0 whole, 1 broken."""
    set_up_django()
    from moorland.server.trail.verifying import verified

    number, _, broken = verified()
    if broken is not None:
        messages.print(f"The trail is broken: {broken.message}. {number} entries before it are whole.", markup=False)
        raise typer.Exit(1)
    output.print(f"The trail is whole: {number} entries.")


def rotate_keys() -> None:
    """Seals secret attribute values with a new key, and forgets the old one."""
    set_up_django()
    from moorland.server.changes import recorded
    from moorland.server.directory.secret_values import rotated

    with recorded(MACHINE, "rotate keys", "secret values") as change:
        change.details["sealed"] = rotated()
    output.print(f"{change.details['sealed']} people, groups and organizations with secret values are sealed with a new key.")
