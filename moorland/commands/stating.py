"""`moorland statement`: what a person may see, or who may see a table or a page."""

import json
import sys
from typing import Annotated

import typer
from pydantic import ValidationError

from moorland.commands.bundles import AsJson, AsOf, BundlePath, day_of, evaluator_at
from moorland.commands.console import fail, output
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.insight.statement import StatementQuestion, as_rows, statement
from moorland.core.sources.exporting import csv_text


def statement_command(
    bundle: BundlePath,
    person: Annotated[str | None, typer.Option(help="The login of a person: what may they see?")] = None,
    table: Annotated[str | None, typer.Option(help="A table: who may see it?")] = None,
    model: Annotated[str | None, typer.Option(help="The model of the table; the only one that has it, unless given.")] = None,
    page: Annotated[str | None, typer.Option(help="A page: who may open it?")] = None,
    as_csv: Annotated[bool, typer.Option("--csv", help="Print CSV.")] = False,
    as_json: AsJson = False,
    as_of: AsOf = None,
) -> None:
    """States what may be seen, by whom, by which role and sentence, and since when."""
    try:
        evaluator = evaluator_at(bundle, day_of(as_of))
        having = [name for name, item in evaluator.models.items() if table is not None and table in item.schema.tables]
        if table is not None and model is None and len(having) != 1:
            raise BundleError([Problem("table", f"{'no' if not having else 'more than one'} model has the table {table}; name it with --model.")])
        try:
            asked = StatementQuestion(person=person, model=model or (having[0] if table is not None else None), table=table, page=page)
        except ValidationError as error:
            raise BundleError([Problem("statement", f"{error.errors()[0]['msg'].removeprefix('Value error, ')}.")]) from None
        told = statement(evaluator, asked)
    except BundleError as error:
        raise fail(error.problems) from None
    if as_json:
        sys.stdout.write(json.dumps(told.model_dump(mode="json"), ensure_ascii=False, indent=2) + "\n")
    elif as_csv:
        sys.stdout.write(csv_text(as_rows(told)))
    else:
        output.print(f"{told.title}, as of {told.as_of}", markup=False, style="bold")
        for line in [*told.lines, *told.limits]:
            since = f", since {line.since}" if line.since else ""
            output.print(f"  {line.name}: {line.subject}: {line.sees}", markup=False)
            output.print(f"      by {line.label} ({'; '.join(line.held_by)}{since}): {'; '.join(line.words)}", markup=False)
        if not told.lines:
            output.print("  nothing", markup=False)
