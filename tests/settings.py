"""The server's settings for tests: a data folder of their own, and quick password hashing."""

import os
import tempfile

os.environ["DATA"] = tempfile.mkdtemp(prefix="moorland-test-")
os.environ.pop("MOORLAND_DEMO", None)

from moorland.server.settings import *  # noqa: F403

PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
TASKS_INLINE = True
# The built interface is looked up when it is asked for, not read anew for every client.
WHITENOISE_AUTOREFRESH = True
