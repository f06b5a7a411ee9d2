"""`moorland query`: a SELECT as one person asks it."""

import json
import sys
from typing import Annotated, Any

import typer
from rich.table import Table as RichTable

from moorland.commands.bundles import AsJson, AsOf, BundlePath, day_of, evaluator_at
from moorland.commands.console import fail, output
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.door.asking import ask_sql
from moorland.core.door.errors import SqlRefused


def query(
    bundle: BundlePath,
    statement: Annotated[str, typer.Argument(help="A SELECT; - reads standard input.")],
    login: Annotated[str, typer.Option("--as", help="Who asks.")],
    as_json: AsJson = False,
    as_of: AsOf = None,
) -> None:
    """Asks SQL as somebody: relations are what exists for them, and every number is that of the questions it asks."""
    try:
        evaluator = evaluator_at(bundle, day_of(as_of))
        found = ask_sql(evaluator, evaluator.viewer(login), sys.stdin.read() if statement == "-" else statement)
    except BundleError as error:
        raise fail(error.problems) from None
    except SqlRefused as refused:
        hint = f" {refused.hint}" if refused.hint else ""
        raise fail([Problem(refused.code, f"{refused.message}.{hint}".replace("..", "."), "the statement", start=refused.position)]) from None
    if as_json:
        columns = [{"name": name, "type": kind} for name, kind in zip(found.names, found.types, strict=True)]
        document = {"columns": columns, "rows": [[_plain(value) for value in row] for row in found.rows], "notices": found.notices}
        sys.stdout.write(json.dumps(document, ensure_ascii=False) + "\n")
        return
    table = RichTable()
    for name, kind in zip(found.names, found.types, strict=True):
        table.add_column(name, justify="right" if kind in ("integer", "number") else "left")
    for row in found.rows:
        table.add_row(*("" if value is None else f"{value:,.2f}" if isinstance(value, float) else str(value) for value in row))
    output.print(table)
    for notice in found.notices:
        output.print(notice, markup=False)


def _plain(value: Any) -> Any:
    return value.isoformat() if hasattr(value, "isoformat") else value
