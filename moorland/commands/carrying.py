"""`moorland export` and `moorland import`: a workspace as a bundle folder, and back."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from moorland.commands.console import fail, messages, output
from moorland.commands.serving import set_up_django
from moorland.commands.workspace import MACHINE
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
    yes: Annotated[bool, typer.Option("--yes", help="Into a workspace that is not empty: do it, not only tell what it would change.")] = False,
    data: Annotated[bool, typer.Option("--data/--no-data", help="Take the rows of the tables, too.")] = True,
) -> None:
    """Fills an empty workspace from a bundle and makes a first release of it; or tells what it would change in one that is not empty.

    With --yes the draft and the people become those of the bundle, all of it or nothing; people who are not in it are disabled.
    """
    set_up_django()
    from moorland.server.bundle_import import import_into
    from moorland.server.errors import Failure
    from moorland.server.releases.models import Workspace
    from moorland.server.setup import import_into_empty

    try:
        if Workspace.objects.exists():
            _told(import_into(folder, MACHINE, yes, data), yes)
            return
        with_link = import_into_empty(folder, set(keeper or ()))
    except BundleError as error:
        raise fail(error.problems) from None
    except Failure as failure:
        messages.print(failure.message, markup=False)
        raise typer.Exit(2) from None
    output.print(f"The workspace is that of {folder}. Nobody has a password yet: moorland account {with_link} --link", markup=False, soft_wrap=True)


def _told(plan: "ImportPlan", done: bool) -> None:
    """What an import changes, in sentences."""
    if not plan.changes:
        output.print("The workspace is as the bundle says already: nothing changes.")
        return
    for item in plan.policy:
        output.print(f"draft: {item.kind.removesuffix('s')} {item.label} {item.change}", markup=False)
    for text in [*plan.people, *plan.assignments, *plan.workspace, *(f"rows of {name} replaced" for name in plan.tables)]:
        output.print(text, markup=False)
    for viewer in plan.viewers:
        gained, lost = sum(table.gained for table in viewer.tables), sum(table.lost for table in viewer.tables)
        more = "; ".join([*(f"gains {name}" for name in viewer.gained[:5]), *(f"loses {name}" for name in viewer.lost[:5])])
        output.print(f"{viewer.login}: {gained:,} rows gained, {lost:,} lost{f'; {more}' if more else ''}", markup=False)
    if done:
        output.print("Done. What is of the draft acts with the next release; people and assignments act now.")
    else:
        output.print("Nothing was changed. With --yes it is done, all of it or nothing.")


if TYPE_CHECKING:
    from moorland.server.bundle_import import ImportPlan
