"""`moorland guard`: the policy of a model written into its PostgreSQL database, for programs that read it there."""

from collections.abc import Callable
from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from moorland.commands.bundles import evaluator_at
from moorland.commands.console import fail, messages, output
from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.sources import Source
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Refused
from moorland.core.sources.engines import DatabaseEngine
from moorland.core.sources.guards.guard_plan import GROUP, GuardPlan, guard_plan

#: So many crossings that do not agree are printed.
MOST_PRINTED = 20


class GuardAct(StrEnum):
    """What is done with a guard."""

    plan = "plan"
    apply = "apply"
    verify = "verify"


def guard(
    act: Annotated[GuardAct, typer.Argument(help="plan: print the SQL; apply: put it into the database in one transaction; verify: compare every cell.")],
    model: Annotated[str, typer.Argument(help="A model whose tables stay in one PostgreSQL source.")],
    bundle: Annotated[Path | None, typer.Option(help="A bundle's folder; the live release of the workspace unless given.")] = None,
    group: Annotated[str, typer.Option(help="The database group whose members read through the guard.")] = GROUP,
    viewer: Annotated[list[str] | None, typer.Option(help="Verify as these logins only; as everybody with a database user unless given.")] = None,
) -> None:
    """Writes who sees what into the database itself: a view for each table, looked up by the database's own user."""
    try:
        evaluator, engine_of = _of_bundle(bundle) if bundle is not None else _of_workspace()
        if model not in evaluator.models:
            messages.print(f"There is no model {model}.", markup=False)
            raise typer.Exit(2)
        plan = guard_plan(evaluator, model, group)
    except BundleError as error:
        raise fail(error.problems) from None
    except Refused as refused:
        messages.print(refused.message, markup=False)
        raise typer.Exit(2) from None
    if act == GuardAct.plan:
        output.print(plan.sql(), markup=False, highlight=False, soft_wrap=True, end="")
        return
    source = next(item for item in evaluator.bundle.sources if item.name == plan.source)
    if act == GuardAct.apply:
        _apply(plan, engine_of(source), bundle is None)
    else:
        _verify(plan, evaluator, engine_of(source), viewer)


def _of_workspace() -> tuple[Evaluator, Callable[[Source], DatabaseEngine]]:
    from moorland.commands.serving import set_up_django

    set_up_django()
    from moorland.server.errors import Failure
    from moorland.server.evaluating import evaluator
    from moorland.server.sources.engines import engine_for

    try:
        return evaluator("live"), lambda source: engine_for(source.name)
    except Failure as failure:
        messages.print(failure.message, markup=False)
        raise typer.Exit(2) from None


def _of_bundle(bundle: Path) -> tuple[Evaluator, Callable[[Source], DatabaseEngine]]:
    from moorland.core.sources.placing import engine_of, machine_folders, machine_hosts, machine_secret

    return evaluator_at(bundle, None), lambda source: engine_of(source, machine_secret(source), machine_folders(), machine_hosts())


def _apply(plan: GuardPlan, engine: DatabaseEngine, in_workspace: bool) -> None:
    from moorland.core.sources.guards.guard_applying import applied, connected

    with connected(engine) as connection:
        applied(connection, plan)
    if in_workspace:
        from moorland.commands.workspace import MACHINE
        from moorland.server.trail.models import record

        record(MACHINE, "apply guard", plan.model, source=plan.source, schema=plan.schema, mark=plan.mark, left_out=plan.left_out)
    output.print(
        f"The guard of {plan.model} is in {plan.source}: {len(plan.tables)} views in the schema {plan.schema}, for members of {plan.group}.", markup=False
    )
    for text in plan.left_out:
        output.print(f"Left out closed: {text}", markup=False)


def _verify(plan: GuardPlan, evaluator: Evaluator, engine: DatabaseEngine, logins: list[str] | None) -> None:
    from moorland.core.sources.guards.guard_applying import connected, state_of, verified

    with connected(engine) as connection:
        state, day = state_of(connection, plan)
        if state == "none":
            messages.print(f"There is no guard of {plan.model} in {plan.source}. Put it there: moorland guard apply {plan.model}.", markup=False)
            raise typer.Exit(1)
        if state == "out of date":
            messages.print(f"The guard in {plan.source}, made on {day}, is out of date: what it shows is compared all the same.", markup=False)
        try:
            found = verified(connection, plan, evaluator, engine, logins)
        except Refused as refused:
            messages.print(refused.message, markup=False)
            raise typer.Exit(2) from None
    output.print(f"Asked as {found.viewers:,} viewers, compared {found.cells:,} cells.", markup=False)
    if found.without_user:
        some = ", ".join(found.without_user[:MOST_PRINTED])
        output.print(f"Not asked, for they have no user in the database: {len(found.without_user):,} ({some}).", markup=False)
    for text in plan.left_out:
        output.print(f"Left out closed: {text}", markup=False)
    for text in [*found.more, *found.less][:MOST_PRINTED]:
        messages.print(text, markup=False)
    output.print("Every cell is as it should be." if found.agrees else f"{len(found.more) + len(found.less):,} rows are not as they should be.", markup=False)
    raise typer.Exit(0 if found.agrees and state == "current" else 1)
