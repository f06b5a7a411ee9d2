"""`moorland account`, `moorland trail` and `moorland rotate-keys`: what is done on the machine itself, by whoever may read the workspace's folder."""

from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from moorland.commands.console import messages, output
from moorland.commands.serving import set_up_django

#: Who acts in the trail when it is the machine's own keeper.
MACHINE = "on the machine"


class TrailAct(StrEnum):
    """What is done with the trail."""

    verify = "verify"
    seal = "seal"


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


def trail(
    act: Annotated[TrailAct, typer.Argument(help="verify: look at every entry's seal. seal: print the newest one, to be kept elsewhere.")],
    seal: Annotated[str | None, typer.Option(help="With verify: a seal that was kept elsewhere, as `NUMBER SEAL`, or a file with it.")] = None,
    file: Annotated[Path | None, typer.Option(help="With verify: entries exported as JSON lines, in place of the workspace's own.")] = None,
) -> None:
    """Whether the trail is as it was written: exit 0 whole, 1 broken. Only a seal kept elsewhere proves that nothing was cut off its end."""
    set_up_django()
    from moorland.server.trail.models import Entry
    from moorland.server.trail.verifying import held_against, verified, verified_lines

    if act is TrailAct.seal:
        newest = Entry.objects.first()
        output.print(f"{newest.number} {newest.seal}" if newest else "0 -", markup=False, soft_wrap=True)
        return
    kept = _kept_seal(seal)
    if file is not None:
        try:
            with file.open(encoding="utf-8") as lines:
                number, last, broken = verified_lines(lines)
        except (OSError, UnicodeDecodeError) as error:
            messages.print(f"{file} cannot be read: {error}.", markup=False)
            raise typer.Exit(2) from None
        if broken is None and kept is not None and (number < kept[0] or (number == kept[0] and last != kept[1])):
            messages.print(
                f"The trail is broken: the file ends with entry {number}, before entry {kept[0]} whose seal was kept, or with another.", markup=False
            )
            raise typer.Exit(1)
    else:
        number, _, broken = verified()
        broken = broken or (held_against(*kept) if kept is not None else None)
    if broken is not None:
        messages.print(f"The trail is broken: {broken.message}. {number} entries before it are whole.", markup=False)
        raise typer.Exit(1)
    end = "" if kept is not None else " Its end is unproved without a seal that was kept elsewhere: moorland trail verify --seal."
    output.print(f"The trail is whole: {number} entries.{end}", markup=False, soft_wrap=True)


def _kept_seal(written: str | None) -> tuple[int, str] | None:
    """A seal as it was kept, or from the file it was kept in. Exits with 2 where it is none."""
    if written is None:
        return None
    text = Path(written).read_text(encoding="utf-8") if len(written) < 200 and Path(written).is_file() else written
    parts = text.split()
    if len(parts) != 2 or not parts[0].isdigit():
        messages.print("A seal is kept as its number and its 64 characters, as moorland trail seal prints them.")
        raise typer.Exit(2)
    return int(parts[0]), parts[1]


def rotate_keys() -> None:
    """Seals secret attribute values with a new key, and forgets the old one."""
    set_up_django()
    from moorland.server.changes import recorded
    from moorland.server.directory.secret_values import rotated

    with recorded(MACHINE, "rotate keys", "secret values") as change:
        change.details["sealed"] = rotated()
    output.print(f"{change.details['sealed']} people, groups and organizations with secret values are sealed with a new key.")
