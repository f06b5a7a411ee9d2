"""`moorland export` and `moorland import`: a workspace as a bundle folder, and back."""

from pathlib import Path
from typing import Annotated

import typer

from moorland.commands.bundles import fail, messages, output
from moorland.commands.serving import set_up_django
from moorland.core.bundle.problems import BundleError


def export(
    folder: Annotated[Path, typer.Argument(help="The folder to write: not there yet, empty, or of an earlier export.")],
    live: Annotated[bool, typer.Option("--live", help="What is live, rather than the draft.")] = False,
    data: Annotated[bool, typer.Option("--data/--no-data", help="Write the rows of the tables, too, as Parquet.")] = True,
) -> None:
    """Writes the workspace as a bundle: people, models, roles, pages, promises, duties; no passwords, keys or secret values."""
    set_up_django()
    from moorland.server.bundle_export import exported_bundle
    from moorland.server.errors import Failure

    try:
        made = exported_bundle(folder, "live" if live else "draft", data)
    except Failure as failure:
        messages.print(failure.message, markup=False)
        raise typer.Exit(2) from None
    counts = ", ".join(f"{len(getattr(made, key))} {key}" for key in ("models", "users", "roles", "pages", "promises"))
    output.print(f"{folder}: {counts}. Check it with: moorland check {folder}", markup=False, soft_wrap=True)


def import_bundle(
    folder: Annotated[Path, typer.Argument(help="A bundle folder.")],
    keeper: Annotated[list[str] | None, typer.Option("--keeper", help="A login of the bundle that may do everything. May be given several times.")] = None,
) -> None:
    """Fills an empty workspace from a bundle, all of it or nothing, and makes a first release of it."""
    set_up_django()
    from moorland.server.errors import Failure
    from moorland.server.setup import import_into_empty

    try:
        with_link = import_into_empty(folder, set(keeper or ()))
    except BundleError as error:
        raise fail(error.problems) from None
    except Failure as failure:
        messages.print(failure.message, markup=False)
        raise typer.Exit(2) from None
    output.print(f"The workspace is that of {folder}. Nobody has a password yet: moorland account {with_link} --link", markup=False, soft_wrap=True)
