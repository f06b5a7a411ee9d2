"""A provider of OpenID Connect that runs: oidc-provider of the npm registry, with people a test says."""

import contextlib
import json
import re
import socket
import subprocess
import time
from html import unescape
from pathlib import Path
from typing import Any
from urllib.parse import urljoin, urlsplit

import requests

from demo.slapd import free_port

HERE = Path(__file__).parent / "provider"
CALLBACK = "http://testserver/api/session/by/company/back"
SECRET = "a secret of the client that is long enough"


class Provider:
    """A provider in a process of its own; started anew it has other keys."""

    def __init__(self, folder: Path) -> None:
        self.people, self.port = folder / "people.json", free_port()
        self.process: subprocess.Popen[bytes] | None = None
        self.says(ida={})

    @property
    def issuer(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def says(self, **people: dict[str, Any]) -> None:
        """What it says of people, by their subject."""
        told = {
            login: {"preferred_username": login, "name": login.title(), "email": f"{login}@example.org", "email_verified": True, **claims}
            for login, claims in people.items()
        }
        self.people.write_text(json.dumps(told))

    def start(self) -> None:
        arguments = ["node", str(HERE / "provider.mjs"), str(self.port), CALLBACK, str(self.people)]
        self.process = subprocess.Popen(arguments, cwd=HERE, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        until = time.monotonic() + 30
        while time.monotonic() < until:
            with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", self.port), 1):
                return
            time.sleep(0.05)
        raise RuntimeError("the provider does not start")

    def stop(self) -> None:
        if self.process is not None:
            self.process.terminate()
            self.process.wait(20)

    def restart(self) -> None:
        self.stop()
        self.start()

    def signs_in(self, address: str, login: str) -> str:
        """Goes where somebody was sent, signs in and agrees, as a person would; the address they are sent back to."""
        browser, at = requests.Session(), address
        answer = browser.get(at, allow_redirects=False)
        for _ in range(12):
            if "location" in answer.headers:
                at = urljoin(at, answer.headers["location"])
                if urlsplit(at).netloc == "testserver":
                    return at
                answer = browser.get(at, allow_redirects=False)
                continue
            form = re.search(r'<form[^>]*action="([^"]+)"', answer.text)
            assert form, answer.text
            fields = {name: unescape(value) for name, value in re.findall(r'name="([^"]+)"[^>]*value="([^"]*)"', answer.text)}
            at = urljoin(at, unescape(form[1]))
            answer = browser.post(at, {**fields, "login": login, "password": "any"}, allow_redirects=False)
        raise AssertionError("it never comes back")
