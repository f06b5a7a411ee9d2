"""`moorland reach`: everybody at once, as classes of people who see exactly the same."""

import json
import sys
from typing import Annotated

import typer

from moorland.commands.bundles import AsJson, AsOf, BundlePath, day_of, evaluator_at
from moorland.commands.console import fail, output
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.insight.reach import as_document, reach
from moorland.core.insight.standing_out import standing_out


def reach_command(
    bundle: BundlePath,
    model: Annotated[str | None, typer.Option(help="Only what is seen of this model; of all, unless given.")] = None,
    as_json: AsJson = False,
    as_of: AsOf = None,
) -> None:
    """Tells who sees what, for everybody at once: people who see exactly the same stand together; and who stands out."""
    try:
        evaluator = evaluator_at(bundle, day_of(as_of))
        if model is not None and model not in evaluator.models:
            raise BundleError([Problem("unknown_name", f"there is no model {model}.")])
        found = reach(evaluator, model)
    except BundleError as error:
        raise fail(error.problems) from None
    outliers = standing_out(evaluator, found)
    if as_json:
        document = {
            "classes": as_document(found),
            "sensitive": found.sensitive,
            "standing_out": [item.model_dump(mode="json") for item in outliers],
        }
        sys.stdout.write(json.dumps(document, ensure_ascii=False, indent=2) + "\n")
        return
    for item, told in zip(found.classes, as_document(found), strict=True):
        people = ", ".join(item.logins[:6]) + (f" and {len(item.logins) - 6} more" if len(item.logins) > 6 else "")
        output.print(f"{len(item.logins)} {'person' if len(item.logins) == 1 else 'people'}: {people}", markup=False, style="bold")
        output.print(f"  by {', '.join(item.roles) or 'no role'}", markup=False)
        seen = [f"{name} {table['rows']:,} of {table['of']:,}" for name, table in told["tables"].items() if table["rows"]]
        output.print(f"  {'; '.join(seen) or 'no row of any table'}", markup=False)
        covered = [f"{name} {told['columns'][name]}" for name in found.sensitive if told["columns"].get(name) not in (None, "clear")]
        if covered and seen:
            output.print(f"  covered: {', '.join(covered)}", markup=False)
        output.print(f"  pages: {', '.join(item.pages) or 'none'}", markup=False)
    for outlier in outliers:
        output.print(f"{outlier.name} ({outlier.login}) {outlier.message}.", markup=False)
