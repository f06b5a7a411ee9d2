"""`moorland serve` and `moorland demo`."""

import os
import socket
import subprocess
import sys
from multiprocessing import get_context
from typing import Annotated

import typer

from moorland.commands.console import messages

#: Where the demo's query door is, unless DOOR says otherwise.
DEMO_DOOR = 5499


def set_up_django() -> None:
    """Sets the server up in this process and brings its database up to date."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "moorland.server.settings")
    import django
    from django.core.management import call_command

    django.setup()
    _refuse_newer()
    call_command("migrate", verbosity=0, interactive=False)


def _refuse_newer() -> None:
    """Ends where the workspace was made by a newer version: what that changed in its records this one does not know."""
    from django.db import connection
    from django.db.migrations.loader import MigrationLoader

    loader = MigrationLoader(connection)
    newer = sorted(key for key in loader.applied_migrations if key not in loader.disk_migrations and key[0] in loader.migrated_apps)
    if newer:
        messages.print(
            f"The workspace in {os.environ.get('DATA', './var')} was made by a newer version of Moorland ({' '.join(newer[0])}). "
            "Nothing was changed. Install that version, or restore a backup of this one.",
            markup=False,
            soft_wrap=True,
        )
        raise typer.Exit(2)


def _serve(port: int, door: int) -> None:
    from moorland.server.directory.invitations import setup_link
    from moorland.server.serving import serve as run

    link = setup_link()
    if link is not None:
        messages.print(f"There is no workspace yet. Set it up at http://localhost:{port}{link}", markup=False, soft_wrap=True)
    messages.print(f"Moorland is at http://localhost:{port}  (Ctrl+C stops it)", markup=False)
    if door:
        messages.print(f"SQL clients come in at localhost:{door}, with a key from My account", markup=False)
    run(port, door or None)


Port = Annotated[int, typer.Option(envvar="PORT", min=1, max=65535, help="The port to listen on.")]


def _is_free(port: int) -> bool:
    with socket.socket() as tried:
        tried.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            tried.bind(("127.0.0.1", port))
        except OSError:
            return False
    return True


def _serve_portal(port: int, moorland: int) -> None:
    """Serves the demo's other application beside it, for as long as this process lives."""
    from django.conf import settings

    from demo.workspace import vouch_for_portal

    if not _is_free(port):
        messages.print(f"The land portal is left out: port {port} is in use. Choose another with PORTAL.", markup=False)
        return
    vouch_for_portal(port)
    # It ends with this process: it is told so by the system.
    start = "import ctypes, runpy, sys; ctypes.CDLL(None).prctl(1, 15); sys.argv = sys.argv[1:]; runpy.run_module('demo.portal', run_name='__main__')"
    subprocess.Popen([sys.executable, "-c", start, "portal", str(settings.DATA), str(port), str(moorland)])  # noqa: S603
    messages.print(f"A page embedded elsewhere is at http://localhost:{port}: the land portal, for people without an account here", markup=False)


Door = Annotated[int, typer.Option(envvar="DOOR", min=0, max=65535, help="The port of the query door for SQL clients; 0 leaves it closed.")]


def serve(port: Port = 8000, door: Door = 0) -> None:
    """Serves the workspace in the folder DATA (./var)."""
    set_up_django()
    _serve(port, door)


DemoDoor = Annotated[
    int | None, typer.Option(envvar="DOOR", min=0, max=65535, help=f"The port of the query door; 0 leaves it closed, {DEMO_DOOR} otherwise where it is free.")
]
Portal = Annotated[int | None, typer.Option(envvar="PORTAL", min=0, max=65535, help="The port of the demo's land portal; 0 leaves it out, else the next one.")]


def _made_apart() -> None:
    """Makes the demo in a process of its own: it asks sources, whose connections and threads are not to be carried over into the one that answers."""
    from django.db import connections

    connections.close_all()
    making = get_context("fork").Process(target=_make)
    making.start()
    making.join()
    if making.exitcode != 0:
        raise SystemExit("The demo workspace could not be made; see above.")


def _make() -> None:
    from demo.workspace import make_demo

    if make_demo():
        messages.print("The demo workspace is made.")


def demo(
    port: Port = 8000,
    door: DemoDoor = None,
    portal: Portal = None,
    only_make: Annotated[bool, typer.Option("--only-make", help="Make the workspace without serving it.")] = False,
) -> None:
    """Makes the demo workspace if it is missing, and serves it."""
    os.environ["MOORLAND_DEMO"] = "1"
    set_up_django()
    from demo.workspace import sources_folder
    from moorland.server.directory.demo import DEMO_PASSWORD, demo_sign_ins

    named = os.environ.get("MOORLAND_SOURCE_FOLDERS", "")
    os.environ["MOORLAND_SOURCE_FOLDERS"] = os.pathsep.join(filter(None, (named, str(sources_folder()))))
    _made_apart()
    if only_make:
        return
    at = min(port + 1, 65535) if portal is None else portal
    if at:
        _serve_portal(at, port)
    messages.print(f"Sign in with the password {DEMO_PASSWORD} as:", markup=False)
    for entry in demo_sign_ins():
        messages.print(f"  {entry.login:<10} {entry.expects}", markup=False)
    if door is None and not _is_free(DEMO_DOOR):
        messages.print(f"The query door is left closed: port {DEMO_DOOR} is in use. Choose another with DOOR.", markup=False)
        door = 0
    _serve(port, DEMO_DOOR if door is None else door)
