"""The ready-made sign-ins of the demo, read from the database's folder; nothing of it exists outside demo mode."""

import json

from django.conf import settings

from moorland.server.directory.shapes import DemoSignIn

#: Everybody's password in the demo; printed on its sign-in page.
DEMO_PASSWORD = "heather-and-peat"  # noqa: S105


def demo_sign_ins() -> list[DemoSignIn]:
    """The accounts listed on the demo's sign-in page."""
    path = settings.DATA / "demo-sign-ins.json"
    return [DemoSignIn(login=login, expects=expects) for login, expects in json.loads(path.read_text("utf-8"))] if path.is_file() else []
