"""What `moorland trace` tells with --who and --bridge."""

import json
import sys
from typing import Any

from pydantic import ValidationError

from moorland.commands.console import output
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Refused
from moorland.core.insight.bridge import BridgeQuestion, bridge
from moorland.core.insight.who import WhoQuestion, who


def tell_who(evaluator: Evaluator, fields: dict[str, Any], as_json: bool) -> None:
    """Everybody who reaches what is named. Raises BundleError."""
    found = _refused_as_problem(lambda: who(evaluator, _read(WhoQuestion, fields)))
    if as_json:
        sys.stdout.write(json.dumps(found.model_dump(mode="json"), ensure_ascii=False, indent=2) + "\n")
        return
    of = f" of {found.rows:,} {'row' if found.rows == 1 else 'rows'}" if found.rows else ""
    output.print(f"{len(found.people):,} of {found.enabled:,} people{of}", markup=False, style="bold")
    for person in found.people:
        rows = f" {person.rows:,}" if found.rows > 1 else ""
        output.print(f"  {person.name} ({person.login}): {person.state}{rows}", markup=False)
        for part in person.through:
            held = f", {'; '.join(part.held_by)}" if part.held_by else ""
            output.print(f"      by {part.label}{held}", markup=False)


def tell_bridge(evaluator: Evaluator, viewer: Any, start: str | None, fields: dict[str, Any], as_json: bool) -> None:
    """How the viewer's figure comes about. Raises BundleError."""
    asked = _read(BridgeQuestion, fields)
    first = evaluator.viewer(start) if start is not None else None
    found = _refused_as_problem(lambda: bridge(evaluator, evaluator.viewer(viewer), asked, first))
    if as_json:
        sys.stdout.write(json.dumps(found.model_dump(mode="json"), ensure_ascii=False, indent=2) + "\n")
        return
    output.print(f"{_figure(found.first.figure):>22}  {found.first.viewer}, {found.first.rows:,} rows", markup=False, style="bold")
    for step in found.steps:
        output.print(f"{_signed(step.amount):>22}  {step.rows:+,} rows  {step.message}", markup=False)
    output.print(f"{_figure(found.last.figure):>22}  {found.last.viewer}, {found.last.rows:,} rows", markup=False, style="bold")


def _read(shape: Any, fields: dict[str, Any]) -> Any:
    try:
        return shape.model_validate({name: value for name, value in fields.items() if value is not None and name in shape.model_fields})
    except ValidationError as error:
        raise BundleError([Problem("trace", f"{detail['msg'].removeprefix('Value error, ')}.") for detail in error.errors(include_url=False)]) from None


def _refused_as_problem(tell: Any) -> Any:
    try:
        return tell()
    except Refused as refused:
        raise BundleError([Problem(refused.code, refused.message)]) from None


def _figure(value: Any) -> str:
    return "none" if value is None else f"{value:,}" if isinstance(value, int | float) else str(value)


def _signed(amount: Any) -> str:
    return "" if amount is None else f"{amount:+,}"
