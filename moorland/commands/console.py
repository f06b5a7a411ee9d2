"""Where commands print: answers to standard output, messages and progress to standard error."""

import typer
from rich.console import Console

from moorland.core.bundle.problems import Problem

messages = Console(stderr=True, highlight=False, soft_wrap=True)
output = Console(highlight=False, soft_wrap=True)


def fail(problems: list[Problem]) -> typer.Exit:
    """Prints what is wrong, a line each; the exit of a wrong input."""
    for problem in problems:
        messages.print(problem.sentence(), style="red", markup=False)
    return typer.Exit(2)
