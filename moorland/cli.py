"""The commands of bundle.md: answers on standard output, messages on standard error; exit 0 good, 1 failed, 2 the input is wrong."""

import typer

from moorland.commands.answering import evaluate, sql
from moorland.commands.carrying import export, import_bundle
from moorland.commands.checking import check
from moorland.commands.comparing import diff
from moorland.commands.comparing_ways import parity_command
from moorland.commands.keeping import backup, duties, restore
from moorland.commands.probing import probe_command
from moorland.commands.querying import query
from moorland.commands.reaching import reach_command
from moorland.commands.serving import demo, serve
from moorland.commands.stating import statement_command
from moorland.commands.tracing import trace_command
from moorland.commands.workspace import account, rotate_keys, trail

app = typer.Typer(add_completion=False, no_args_is_help=True, help="Who sees what, for everyone at once, before anything is released.")
app.command()(check)
app.command()(evaluate)
app.command("trace")(trace_command)
app.command("reach")(reach_command)
app.command("probe")(probe_command)
app.command("query")(query)
app.command("parity")(parity_command)
app.command("statement")(statement_command)
app.command()(diff)
app.command()(sql)
app.command()(serve)
app.command()(demo)
app.command()(account)
app.command()(trail)
app.command()(rotate_keys)
app.command()(duties)
app.command()(export)
app.command("import")(import_bundle)
app.command()(backup)
app.command()(restore)


if __name__ == "__main__":
    app()
