"""`moorland diff`: who gains and who loses what between two bundles."""

import json
import sys
from pathlib import Path
from typing import Annotated

import typer

from moorland.commands.answering import shown
from moorland.commands.bundles import AsJson, AsOf, day_of, evaluator_at, progress
from moorland.commands.console import fail, output
from moorland.core.bundle.problems import BundleError, Problem, nearest_name
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.impact import impact
from moorland.core.insight.impacts import shared


def diff(
    before: Annotated[Path, typer.Argument(help="The earlier bundle.")],
    after: Annotated[Path, typer.Argument(help="The later bundle.")],
    total: Annotated[list[str] | None, typer.Option(help="A measure whose total is compared, as energy or model.energy; may be repeated.")] = None,
    as_json: AsJson = False,
    as_of: AsOf = None,
) -> None:
    """Who gains and who loses what between two bundles, over all viewers: rows, objects, cells, pages and chosen totals."""
    try:
        day = day_of(as_of)
        old = evaluator_at(before, day)
        new = evaluator_at(after, day or old.as_of)
        new.shared = old.shared
        logins = sorted({user.login for user in (*old.bundle.users, *new.bundle.users)})
        with progress("comparing") as step:
            impacts = impact(old, new, logins, totals_named(total or [], old, new), lambda number: step(f"{number} of {len(logins)} viewers"))
    except BundleError as error:
        raise fail(error.problems) from None
    groups = shared(impacts, None)
    if as_json:
        document = {"viewers": len(logins), "changed": len(impacts), "groups": [group.model_dump(mode="json") for group in groups]}
        sys.stdout.write(json.dumps(document, ensure_ascii=False, indent=2) + "\n")
        return
    output.print(f"Of {len(logins)} viewers, {len(impacts)} see something else.", markup=False)
    for group in groups:
        output.print(", ".join(person.login for person in group.named), markup=False, style="bold")
        for change in group.tables:
            counts = " → ".join("absent" if number is None else f"{number:,}" for number in (change.before, change.after))
            output.print(f"  {change.table}: {counts} rows (+{change.gained:,}, -{change.lost:,})", markup=False)
        for shift in group.totals:
            output.print(f"  total of {shift.measure}: {shown(shift.before) or 'none'} → {shown(shift.after) or 'none'}", markup=False)
        for sign, names in (("gains", group.gained), ("loses", group.lost)):
            if names:
                output.print(f"  {sign} {', '.join(names)}", markup=False)


def totals_named(names: list[str], old: Evaluator, new: Evaluator) -> list[tuple[str, str]]:
    """The measures named on the command line, with their models. Raises BundleError for one that is in neither bundle."""
    found = []
    for written in names:
        model, _, measure = written.rpartition(".")
        owners = [name for evaluator in (new, old) for name, item in evaluator.models.items() if measure in item.measures and model in ("", name)]
        if not owners:
            raise BundleError(
                [
                    Problem(
                        "unknown_name",
                        f"there is no measure {written}.",
                        nearest=nearest_name(measure, [m for e in (old, new) for i in e.models.values() for m in i.measures]),
                    )
                ]
            )
        found.append((owners[0], measure))
    return found
