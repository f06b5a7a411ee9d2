"""`moorland probe`: what a viewer could work out of what they may not see."""

import json
import sys
from typing import Annotated

import typer

from moorland.commands.bundles import AsJson, AsOf, BundlePath, day_of, evaluator_at, progress
from moorland.commands.console import fail, output
from moorland.core.bundle.problems import BundleError
from moorland.core.insight.probe.probing import probe, probe_classes
from moorland.core.insight.probe.shapes import Find, ViewerProbe

#: So many finds of a viewer are printed.
MOST_PRINTED = 40


def probe_command(
    bundle: BundlePath,
    viewer: Annotated[str | None, typer.Option(help="A login; one of each class of people who see the same, unless given.")] = None,
    as_json: AsJson = False,
    as_of: AsOf = None,
    fail_on_find: Annotated[bool, typer.Option("--fail-on-find", help="Exit with 1 where anything was found.")] = False,
) -> None:
    """Does what a curious person would: asks every question by up to three columns and a filter, and works out what the answers determine."""
    try:
        with progress("probing") as step:
            evaluator = evaluator_at(bundle, day_of(as_of))
            if viewer is not None:
                found = [probe(evaluator, evaluator.viewer(viewer))]
            else:
                found = probe_classes(evaluator, progress=lambda done, of: step(f"viewer {done} of {of}"))
    except BundleError as error:
        raise fail(error.problems) from None
    if as_json:
        document = {"viewers": [item.model_dump(mode="json", by_alias=True, exclude_none=True) for item in found]}
        for told, item in zip(document["viewers"], found, strict=True):
            told["found"] = [_as_document(find) for find in item.found]
        sys.stdout.write(json.dumps(document, ensure_ascii=False, indent=2) + "\n")
    else:
        for item in found:
            _print(item)
    raise typer.Exit(1 if fail_on_find and any(item.found for item in found) else 0)


def _as_document(find: Find) -> dict[str, object]:
    return {
        **find.model_dump(mode="json", by_alias=True, exclude_none=True, exclude={"by"}),
        "by": [question.model_dump(mode="json", by_alias=True, exclude_none=True, exclude_defaults=True) for question in find.by],
    }


def _print(item: ViewerProbe) -> None:
    same = f" (and {len(item.same):,} who see the same)" if item.same else ""
    asked = f"{item.questions:,} questions, {item.equations:,} equations, {item.unknowns:,} unknowns"
    output.print(f"{item.viewer}{same}: {len(item.found) or 'nothing'} found in {asked}", markup=False, style="bold" if item.found else None)
    for find in item.found[:MOST_PRINTED]:
        what = find.subject.model_dump(exclude_none=True)
        place = ", ".join(f"{name} {value if not isinstance(value, list) else ' › '.join(map(str, value))}" for name, value in what.items())
        output.print(f"  {find.kind:<5} {place}: {find.arithmetic}", markup=False)
    if len(item.found) > MOST_PRINTED:
        output.print(f"  and {len(item.found) - MOST_PRINTED:,} more", markup=False)
    for text in item.left_out:
        output.print(f"  left out: {text}", markup=False)
