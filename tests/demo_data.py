"""The demo as it is shipped, made once a run and copied for each server that is to begin with it."""

import fcntl
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path


def put_demo(folder: Path) -> None:
    """Puts the demo workspace into a folder that does not hold one."""
    run = os.environ.get("PYTEST_XDIST_TESTRUNUID", str(os.getpid()))
    made = Path(tempfile.gettempdir()) / f"moorland-demo-{run}"
    with (made.parent / f"{made.name}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not made.exists():
            begun = Path(tempfile.mkdtemp(prefix="moorland-demo-"))
            environment = {**os.environ, "DATA": str(begun), "DJANGO_SETTINGS_MODULE": "moorland.server.settings"}
            subprocess.run([sys.executable, "-m", "moorland.cli", "demo", "--only-make"], env=environment, check=True, capture_output=True, timeout=240)
            begun.rename(made)
    shutil.copytree(made, folder, dirs_exist_ok=True)
    folder.chmod(0o700)
