"""Makes the demo workspace in an empty database."""

import json
import shutil
import tempfile
from pathlib import Path

from django.conf import settings

from demo.bundle import generate
from demo.people import SIGN_INS
from moorland.server.directory.demo import DEMO_PASSWORD
from moorland.server.releases.models import Workspace
from moorland.server.setup import fill_workspace

ADMINISTRATORS = {"h.warden"}


def make_demo() -> bool:
    """Fills the database with the demo, whole or not at all. False where a workspace is there already."""
    if Workspace.objects.exists():
        return False
    folder = Path(tempfile.mkdtemp(prefix="moorland-demo-"))
    try:
        generate(folder)
        fill_workspace(folder, ADMINISTRATORS, DEMO_PASSWORD, {login for login, _ in SIGN_INS})
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    (settings.DATA / "demo-sign-ins.json").write_text(json.dumps(SIGN_INS), "utf-8")
    return True
