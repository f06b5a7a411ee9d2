"""`moorland parity`: the same questions through every way to ask."""

import json
import sys
from typing import Annotated

import typer

from moorland.commands.bundles import AsJson, AsOf, BundlePath, day_of, evaluator_at, progress
from moorland.commands.console import fail, output
from moorland.core.bundle.problems import BundleError
from moorland.core.door.parity import parity


def parity_command(
    bundle: BundlePath,
    viewers: Annotated[list[str] | None, typer.Option("--viewer", help="Whom to ask as; everybody, unless given. May be given several times.")] = None,
    as_json: AsJson = False,
    as_of: AsOf = None,
) -> None:
    """Compares what viewers are answered alone, together with others, and in SQL; exits with 1 where any two differ."""
    try:
        evaluator = evaluator_at(bundle, day_of(as_of))
        asked = [evaluator.viewer(login) for login in viewers] if viewers else list(evaluator.everyone())
        with progress(f"asking as {len(asked)} viewers"):
            found = parity(evaluator, asked)
    except BundleError as error:
        raise fail(error.problems) from None
    if as_json:
        document = {"viewers": len(asked), "questions": found.questions, "differences": [item.model_dump() for item in found.differences]}
        sys.stdout.write(json.dumps(document, ensure_ascii=False) + "\n")
    else:
        for item in found.differences:
            output.print(f"{item.viewer}, {item.way}: {item.question}", markup=False, style="bold")
            output.print(f"  alone: {item.expected}\n  {item.way}: {item.found}", markup=False)
        many = ", ".join(f"{count:,} {way}" for way, count in found.questions.items())
        output.print(f"{len(asked)} viewers; answers compared: {many}; {len(found.differences)} differ.", markup=False)
    if found.differences:
        raise typer.Exit(1)
