"""A demo served for as long as a measurement lasts, and viewers signed in to it."""

import contextlib
import http.client
import json
import os
import random
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

#: Makes sessions of accounts by the server's own code; prints login, cookie and token.
_SESSIONS = """
import sys
from moorland.commands.serving import set_up_django
set_up_django()
from importlib import import_module
from django.conf import settings
from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY
from moorland.server.directory.models import Account
store = import_module(settings.SESSION_ENGINE).SessionStore
wanted = sys.argv[1].split(",") if len(sys.argv) > 1 and sys.argv[1] else None
accounts = Account.objects.filter(enabled=True, kind="person")
for account in accounts.filter(login__in=wanted) if wanted else accounts:
    session = store()
    session[SESSION_KEY], session[HASH_SESSION_KEY] = str(account.pk), account.get_session_auth_hash()
    session[BACKEND_SESSION_KEY] = "moorland.server.directory.sign_in.LoginBackend"
    session.save()
    print(account.login, session.session_key)
"""


@dataclass
class Served:
    """A server in a folder, on a port; it can be killed and started again."""

    folder: Path
    port: int
    process: subprocess.Popen[bytes] | None = field(default=None, repr=False)
    door: int = 0
    portal: int = 0

    @property
    def environment(self) -> dict[str, str]:
        """For every process that works on the same workspace."""
        own = {"DATA": str(self.folder), "PORT": str(self.port), "MOORLAND_DEMO": "1", "DJANGO_SETTINGS_MODULE": "moorland.server.settings"}
        # No other door and portal than were asked for: many demos are served at once.
        return {**os.environ, **own, "DOOR": str(self.door), "PORTAL": str(self.portal)}

    def start(self) -> None:
        """Starts it, and waits until it answers."""
        log = (self.folder.parent / f"{self.folder.name}.log").open("ab")
        self.process = subprocess.Popen([sys.executable, "-m", "moorland.cli", "demo"], env=self.environment, stdout=log, stderr=log)
        for _ in range(240):
            with contextlib.suppress(OSError, http.client.HTTPException):
                if self.nobody().call("GET", "session")[0] == 200:
                    return
            time.sleep(0.25)
        raise RuntimeError(f"The server does not answer; see {log.name}.")

    def stop(self) -> None:
        """Stops it as a person would."""
        if self.process is not None:
            self.process.terminate()
            self.process.wait(timeout=30)

    def answering(self) -> int | None:
        """The process that answers, a child of the one that was started."""
        assert self.process is not None
        children = Path(f"/proc/{self.process.pid}/task/{self.process.pid}/children").read_text().split()
        return int(children[0]) if children else None

    def memory(self) -> int:
        """Bytes in memory of the process that answers."""
        with contextlib.suppress(OSError, TypeError):
            for line in Path(f"/proc/{self.answering()}/status").read_text().splitlines():
                if line.startswith("VmRSS:"):
                    return int(line.split()[1]) * 1024
        return 0

    def nobody(self) -> "Caller":
        """Somebody who is not signed in."""
        return Caller(self.port, "")

    def callers(self, logins: list[str] | None = None) -> "dict[str, Caller]":
        """Everybody who can sign in, or some, signed in."""
        made = subprocess.run([sys.executable, "-c", _SESSIONS, ",".join(logins or [])], env=self.environment, check=True, capture_output=True, text=True)
        return {login: Caller(self.port, key) for login, key in (line.rsplit(" ", 1) for line in made.stdout.splitlines())}


class Caller:
    """Calls the API over one connection that is kept open."""

    def __init__(self, port: int, session: str) -> None:
        self.port, self.session, self._connection = port, session, None
        token = "c" * 32
        self._headers = {"Cookie": f"moorland_session={session}; moorland_csrf={token}", "X-CSRF-Token": token}

    _connection: http.client.HTTPConnection | None

    def call(self, method: str, path: str, body: Any = None) -> tuple[int, bytes]:
        """Status and body of an answer; the connection is made anew where it was closed. Raises OSError where nobody answers."""
        written = body if isinstance(body, bytes) else json.dumps(body).encode() if body is not None else None
        for last in (False, True):
            try:
                if self._connection is None:
                    self._connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=60)
                kind = "application/octet-stream" if isinstance(body, bytes) else "application/json"
                self._connection.request(method, f"/api/{path}", written, {**self._headers, "Content-Type": kind})
                response = self._connection.getresponse()
                return response.status, response.read()
            except (http.client.HTTPException, OSError) as error:
                self._connection = None
                # What was sent may have been carried out: only what changes nothing is asked again.
                if last or method != "GET":
                    raise OSError(str(error)) from error
        raise AssertionError


def free_port() -> int:
    """A port nobody listens on, and which is given to no connection meanwhile: below those the system gives out by itself."""
    for _ in range(200):
        port = random.randrange(20_000, 30_000)
        with socket.socket() as tried:
            try:
                tried.bind(("127.0.0.1", port))
            except OSError:
                continue
        return port
    raise RuntimeError("no port is free")


@contextlib.contextmanager
def served_demo(port: int | None = None, folder: Path | None = None) -> Iterator[Served]:
    """A demo served for as long as the context lasts, on a port nobody listens on, and in a new folder, unless one is named."""
    port = port or free_port()
    served = Served(folder or Path(tempfile.mkdtemp(prefix="moorland-served-")), port)
    served.start()
    try:
        yield served
    finally:
        served.stop()
