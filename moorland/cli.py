"""The commands of bundle.md: answers on standard output, messages on standard error; exit 0 good, 1 failed, 2 the input is wrong."""

from importlib import import_module
from typing import Any

import typer
from typer._click.core import Command, Context
from typer.core import TyperGroup

#: Each command, and where it is carried out: its module is loaded only when it is asked for, as most need less than all of the core.
COMMANDS = {
    "check": "checking:check",
    "evaluate": "answering:evaluate",
    "trace": "tracing:trace_command",
    "reach": "reaching:reach_command",
    "probe": "probing:probe_command",
    "query": "querying:query",
    "parity": "comparing_ways:parity_command",
    "statement": "stating:statement_command",
    "diff": "comparing:diff",
    "sql": "answering:sql",
    "guard": "guarding:guard",
    "serve": "serving:serve",
    "demo": "serving:demo",
    "account": "workspace:account",
    "trail": "workspace:trail",
    "rotate-keys": "workspace:rotate_keys",
    "duties": "keeping:duties",
    "export": "carrying:export",
    "import": "carrying:import_bundle",
    "backup": "keeping:backup",
    "restore": "keeping:restore",
}


class _Commands(TyperGroup):
    """The commands, each loaded when it is asked for."""

    def list_commands(self, ctx: Context) -> list[str]:
        return list(COMMANDS)

    def invoke(self, ctx: Context) -> Any:
        """Runs a command; a source that does not answer, and what is not answered for tables left in one, is said in a sentence."""
        try:
            return super().invoke(ctx)
        except Exception as wrong:
            from moorland.commands.console import messages
            from moorland.core.engine.unanswered import LeftInPlace, SourceFailed

            if not isinstance(wrong, SourceFailed | LeftInPlace):
                raise
            messages.print(str(wrong), markup=False)
            raise typer.Exit(2) from None

    def get_command(self, ctx: Context, cmd_name: str) -> Command | None:
        if cmd_name not in COMMANDS:
            return None
        module, _, function = COMMANDS[cmd_name].partition(":")
        alone = typer.Typer(add_completion=False)
        alone.command(cmd_name)(getattr(import_module(f"moorland.commands.{module}"), function))
        return typer.main.get_command(alone)


app = typer.Typer(cls=_Commands, add_completion=False, no_args_is_help=True, help="Who sees what, for everyone at once, before anything is released.")


@app.callback()
def _moorland() -> None:
    """Who sees what, for everyone at once, before anything is released."""


if __name__ == "__main__":
    app()
