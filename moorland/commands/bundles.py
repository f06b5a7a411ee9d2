"""What every command about a bundle reads: its path, the day, the evaluator; and how it says what is wrong."""

import contextlib
import datetime
import json
import os
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Annotated, Any

import typer

from moorland.commands.console import messages
from moorland.core.bundle.document import Bundle
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.reading import Origins, locate, read_document, read_folder_located
from moorland.core.engine.compiled_model import data_located
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.exhibits import check_pages
from moorland.core.sources.files import bundle_loader, read_table

BundlePath = Annotated[Path, typer.Argument(help="A bundle's folder, or a bundle in one JSON document.")]
AsJson = Annotated[bool, typer.Option("--json", help="Print JSON instead of tables.")]
AsOf = Annotated[str | None, typer.Option("--as-of", help="The day to evaluate, as YYYY-MM-DD; today unless given.")]


def evaluator_at(path: Path, as_of: datetime.date | None, whole: bool = False) -> Evaluator:
    """The evaluator of a bundle. Raises BundleError with every problem, located; with `whole` those of its data and pages as well."""
    origins: Origins = {}
    if path.is_file():
        try:
            bundle, file, folder = read_document(json.loads(path.read_text("utf-8")), path.name), path.name, path.parent
        except (UnicodeDecodeError, json.JSONDecodeError) as error:
            raise BundleError([Problem("json", f"not readable as JSON: {error}.", path.name)]) from None
    else:
        bundle, file, origins = read_folder_located(path)
        folder = path
    problems = [locate(problem, file, origins) for problem in _data_problems(bundle, folder)] if whole else []
    try:
        evaluator = Evaluator(bundle, bundle_loader(bundle, folder), as_of, os.environ.get("MOORLAND_SECRET", "moorland").encode())
        if whole:
            check_pages(evaluator)
    except BundleError as error:
        problems = [*(locate(problem, file, origins) for problem in error.problems), *problems]
    if problems:
        raise BundleError(problems)
    return evaluator


def _data_problems(bundle: Bundle, folder: Path) -> list[Problem]:
    """What is wrong with the data: in which file, or, where there is none, at which table of the bundle."""
    problems: list[Problem] = []
    for model in bundle.models:
        for table in model.tables:
            try:
                read_table(folder, table)
            except BundleError as error:
                problems += data_located(error.problems, bundle, model.name, table.name)
    return problems


def day_of(text: str | None) -> datetime.date | None:
    try:
        return datetime.date.fromisoformat(text) if text else None
    except ValueError:
        raise BundleError([Problem("day", f"{text} is not a day; write it as YYYY-MM-DD.")]) from None


def json_value(text: str | None) -> Any:
    try:
        return json.loads(text) if text else {}
    except json.JSONDecodeError as error:
        raise BundleError([Problem("set", f"not readable as JSON: {error}.")]) from None


@contextlib.contextmanager
def progress(what: str) -> Iterator[Callable[[str], None]]:
    """Shows on standard error, where it is a terminal, what a long run is at."""
    with messages.status(f"{what} …") as status:
        yield lambda step: status.update(f"{what}: {step} …")
