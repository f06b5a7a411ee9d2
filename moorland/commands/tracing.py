"""`moorland trace`: why somebody sees something, or does not."""

import datetime
import json
import sys
from typing import Annotated, Any

import typer
from pydantic import ValidationError

from moorland.commands.asking import tell_bridge, tell_who
from moorland.commands.bundles import AsJson, AsOf, BundlePath, day_of, evaluator_at, json_value
from moorland.commands.console import fail, output
from moorland.core.bundle.people import RealViewer, ViewerReference
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.values import value_of_text
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.remedies import remedies
from moorland.core.insight.trace import Traced, trace, where_they_part


def trace_command(
    bundle: BundlePath,
    viewer: Annotated[str | None, typer.Option(help="The login of the viewer; not asked for with --who.")] = None,
    only_role: Annotated[list[str] | None, typer.Option(help="As if the viewer held only this role; may be repeated.")] = None,
    page: Annotated[str | None, typer.Option(help="A page.")] = None,
    action: Annotated[str, typer.Option(help="What is to be done with the page: open, edit, publish, export.")] = "open",
    model: Annotated[str | None, typer.Option(help="The model; the only one that has the table, unless given.")] = None,
    object_: Annotated[str | None, typer.Option("--object", help="An object, as table:site, column:site.area, measure:energy.")] = None,
    table: Annotated[str | None, typer.Option(help="The table of a row.")] = None,
    row: Annotated[str | None, typer.Option(help="The value of the row's key; its number from 0 where the table has no key.")] = None,
    column: Annotated[str | None, typer.Option(help="A column: may this cell of the row be seen?")] = None,
    measure: Annotated[str | None, typer.Option(help="A measure: does the row count in it?")] = None,
    change: Annotated[str | None, typer.Option(help="A change of the row: delete, or update with --set.")] = None,
    set_: Annotated[str | None, typer.Option("--set", help='The new values of an update, as JSON: {"status": "open"}.')] = None,
    other: Annotated[str | None, typer.Option(help="Another login: where do the two part? With --bridge, whose figure it starts from.")] = None,
    bridge: Annotated[bool, typer.Option("--bridge", help="How the figure of --measure comes about, from that of all data.")] = False,
    who: Annotated[bool, typer.Option("--who", help="Everybody who reaches it: rows, a cell, a member, a column, a measure, a figure or a page.")] = False,
    where: Annotated[str | None, typer.Option(help="With --bridge and --who: rows for which this is true.")] = None,
    by: Annotated[list[str] | None, typer.Option(help="With --bridge and --who: a column the figure is asked by; may be repeated.")] = None,
    key: Annotated[str | None, typer.Option(help='With --by: the line, as a JSON list: ["open"].')] = None,
    hierarchy: Annotated[str | None, typer.Option(help="With --who: the hierarchy of a member.")] = None,
    path: Annotated[str | None, typer.Option(help='With --hierarchy: the path of the member, as a JSON list: ["High Fells"].')] = None,
    as_json: AsJson = False,
    as_of: AsOf = None,
) -> None:
    """Explains why a viewer can or cannot open a page, see an object, a row or a cell, or count a row; and what would have to change."""
    try:
        evaluator = evaluator_at(bundle, day_of(as_of))
        having = [name for name, item in evaluator.models.items() if table is None or table in item.schema.tables]
        name = model or (having[0] if len(having) == 1 else None)
        if who or bridge:
            fields: dict[str, Any] = {
                "page": page,
                "model": None if page else name,
                "table": table,
                "row": row,
                "column": column,
                "measure": measure,
                "where": where,
            }
            fields |= {"by": by, "key": json_value(key) if key else None, "hierarchy": hierarchy, "path": json_value(path) if path else None}
            fields["row"] = typed_row(evaluator, fields)
            if who:
                tell_who(evaluator, fields, as_json)
            else:
                tell_bridge(evaluator, _reference(viewer, only_role), other, fields, as_json)
            return
        asked = read_traced(
            {
                "page": page,
                "action": action,
                "model": None if page else name,
                "object": object_,
                "table": table,
                "row": row,
                "column": column,
                "measure": measure,
                "change": change,
                "set": json_value(set_),
            },
            evaluator,
        )
        reference = _reference(viewer, only_role)
        found = trace(evaluator, reference, asked)
        compared = trace(evaluator, other, asked) if other is not None else None
        helping = remedies(evaluator, reference, asked) if found.outcome != "can" else []
    except BundleError as error:
        raise fail(error.problems) from None
    parting = where_they_part(found, compared) if compared is not None else None
    if as_json:
        document = {
            "trace": found.model_dump(mode="json"),
            "what_would_have_to_change": [item.model_dump(mode="json") for item in helping],
            "other": compared.model_dump(mode="json") if compared else None,
            "they_part_at": parting[0].layer if parting else None,
        }
        sys.stdout.write(json.dumps(document, ensure_ascii=False, indent=2) + "\n")
        return
    for each in [found, *([compared] if compared else [])]:
        output.print(f"{each.viewer}: {each.outcome}", markup=False, style="bold")
        for layer in each.layers:
            output.print(f"  {layer.layer:<8} {layer.verdict:<7} {layer.message}", markup=False)
            for reason in layer.reasons:
                held = f" ({'; '.join(reason.held_by)})" if reason.held_by else ""
                number = f", sentence {reason.sentence + 1}" if reason.sentence is not None else ""
                output.print(f"           {'+' if reason.passes else '-'} {reason.kind} {reason.role}{number}{held}: {reason.message}", markup=False)
                for item in reason.compared:
                    output.print(f"               {item.name} = {item.value}{f' from {item.source}' if item.source else ''}", markup=False)
    if compared is not None:
        where = f"They part at the layer {parting[0].layer}." if parting else "They do not part."
        output.print(where, markup=False)
    if helping:
        output.print("What would have to change (each alone):", markup=False)
        for remedy in helping:
            output.print(f"  {remedy.message}{' It would be seen masked.' if remedy.outcome == 'masked' else ''}", markup=False)


def _reference(viewer: str | None, only_role: list[str] | None) -> ViewerReference:
    if viewer is None:
        raise BundleError([Problem("viewer", "name the viewer with --viewer.")])
    return RealViewer(login=viewer, only_roles=only_role) if only_role else viewer


def typed_row(evaluator: Evaluator, fields: dict[str, Any]) -> Any:
    """The row an option names, typed as its table's key."""
    row, schema = fields["row"], evaluator.models[fields["model"]].schema if fields["model"] in evaluator.models else None
    if row is None or schema is None or fields["table"] not in schema.tables:
        return row
    key = schema.tables[fields["table"]].key
    try:
        value = value_of_text(row, schema.columns[fields["table"], key].type if key else "integer")
    except ValueError as error:
        raise BundleError([Problem("row", f"{error}.")]) from None
    return row if isinstance(value, datetime.date) else value


def read_traced(fields: dict[str, Any], evaluator: Evaluator) -> Traced:
    """What the options ask about; the row typed as its table's key."""
    fields["row"] = typed_row(evaluator, fields)
    try:
        return Traced.model_validate(fields)
    except ValidationError as error:
        raise BundleError([Problem("trace", f"{detail['msg'].removeprefix('Value error, ')}.") for detail in error.errors(include_url=False)]) from None
