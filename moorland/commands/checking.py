"""`moorland check`: whether a bundle can be used, what it promises, and what is worth a look."""

import json
import sys
from pathlib import Path
from typing import Annotated

import typer

from moorland.commands.bundles import AsJson, AsOf, BundlePath, day_of, evaluator_at, progress
from moorland.commands.console import fail, output
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.insight.findings.finding import WEIGHTS, Finding
from moorland.core.insight.findings.noticing import notice
from moorland.core.insight.guarding import Guard, guard
from moorland.core.insight.promises import PromiseResult, run_promises


def check(
    bundle: BundlePath,
    as_json: AsJson = False,
    as_of: AsOf = None,
    since: Annotated[Path | None, typer.Option(help="An earlier bundle: also notice what is new since.")] = None,
    fail_on: Annotated[str, typer.Option(help="Findings of this weight or more fail the check: high, middle, low or none.")] = "none",
    guarding: Annotated[bool, typer.Option("--guard", help="Also open every sentence a little, one at a time, and say which promises notice.")] = False,
    guard_at_least: Annotated[float | None, typer.Option(min=0, max=100, help="The share of guarded sentences, in percent; less fails the check.")] = None,
) -> None:
    """Validates a bundle (shapes, names, conditions, measures, data), runs its promises and notices findings.

    Exit 0: valid and every promise kept; 1: a promise is broken, a finding weighs as much as --fail-on, or too little is guarded;
    2: the bundle is wrong.
    """
    problems: list[Problem] = []
    results: list[PromiseResult] = []
    found: list[Finding] = []
    counts: dict[str, int] = {}
    guarded: Guard | None = None
    try:
        if fail_on not in (*WEIGHTS, "none"):
            raise BundleError([Problem("fail_on", f"{fail_on} is not high, middle, low or none.")])
        with progress("checking") as step:
            day = day_of(as_of)
            evaluator = evaluator_at(bundle, day, whole=True)
            for name in evaluator.models:
                evaluator.data(name)
            before = evaluator_at(since, day) if since is not None else None
            counts = {key: len(getattr(evaluator.bundle, key)) for key in ("models", "users", "groups", "roles", "pages", "promises")}
            step("promises")
            results = run_promises(evaluator)
            step("findings")
            found = notice(evaluator, before)
            if guarding or guard_at_least is not None:
                guarded = guard(evaluator, lambda done, of: step(f"guarding: role {done} of {of}"))
    except BundleError as error:
        problems = error.problems
    broken = [result for result in results if not result.kept]
    heavy = [finding for finding in found if fail_on != "none" and WEIGHTS.index(finding.weight) <= WEIGHTS.index(fail_on)]
    too_little = guarded is not None and guard_at_least is not None and guarded.share < guard_at_least
    code = 2 if problems else 1 if broken or heavy or too_little else 0
    if as_json:
        document = {
            "valid": not problems,
            "problems": [vars(problem) for problem in problems],
            "counts": counts,
            "promises": [result.model_dump() for result in results],
            "findings": [finding.model_dump() for finding in found],
        }
        if guarded is not None:
            document["guard"] = {"share": guarded.share, **guarded.model_dump(by_alias=True, exclude_none=True)}
        sys.stdout.write(json.dumps(document, ensure_ascii=False, indent=2) + "\n")
        raise typer.Exit(code)
    if problems:
        raise fail(problems)
    for result in results:
        state = "kept  " if result.kept else "broken"
        output.print(f"promise {state} {result.label} ({result.viewer}): {result.message}", markup=False, style=None if result.kept else "red")
    for finding in found:
        output.print(f"{finding.weight:<6} {finding.path}: {finding.message} {finding.remedy}", markup=False)
        for line in finding.evidence:
            output.print(f"       {line}", markup=False)
    output.print(f"{bundle} checks out: " + ", ".join(f"{count} {key}" for key, count in counts.items()) + ".", markup=False)
    if results:
        output.print(f"{len(results) - len(broken)} of {len(results)} promises kept; {len(found)} findings.", markup=False)
    if guarded is not None:
        _print_guard(guarded, guard_at_least)
    raise typer.Exit(code)


def _print_guard(guarded: Guard, at_least: float | None) -> None:
    """What no promise guards, worst first, and the share."""
    for item in guarded.sentences:
        if item.guarded:
            continue
        place = f"sentence {item.sentence + 1}" if item.sentence is not None else f"assignment {(item.assignment or 0) + 1}"
        output.print(f"unguarded {item.label}, {place}: {item.says} ({item.people:,} people)", markup=False, style="yellow")
        for mutant in item.mutants:
            if not mutant.noticed_by:
                output.print(f"       {mutant.change}: nothing notices", markup=False)
        if item.proposed is not None:
            written = json.dumps(item.proposed.model_dump(mode="json", by_alias=True, exclude_none=True, exclude_defaults=True), ensure_ascii=False)
            output.print(f"       a promise that would: {written}", markup=False)
    asked = f"; at least {at_least:g} % asked" if at_least is not None else ""
    output.print(f"{guarded.guarded} of {guarded.of} sentences and assignments are guarded: {guarded.share:.0f} %{asked}.", markup=False)
