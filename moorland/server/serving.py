"""Runs the server: one process, so that joined data is in memory once, with several threads."""

from typing import Any

from django.db import connections
from gunicorn.app.base import BaseApplication

from moorland.server.wsgi import application


class _Application(BaseApplication):  # type: ignore[misc]  # gunicorn has no types
    def __init__(self, options: dict[str, Any]) -> None:
        self.options = options
        super().__init__()

    def load_config(self) -> None:
        for key, value in self.options.items():
            self.cfg.set(key, value)

    def load(self) -> Any:
        return application


def after_a_stop() -> None:
    """Takes back what was half done when the server was stopped last."""
    from moorland.server.catalog.storage import remove_unfinished
    from moorland.server.tasks.running import mark_interrupted

    mark_interrupted()
    remove_unfinished()


def serve(port: int) -> None:
    """Serves on the loopback address until it is stopped."""
    after_a_stop()
    # A connection to the database is not carried over into the process that answers.
    connections.close_all()
    options = {
        "bind": f"127.0.0.1:{port}",
        "workers": 1,
        "threads": 8,
        "worker_class": "gthread",
        "loglevel": "warning",
        "timeout": 120,
        "graceful_timeout": 5,
        "control_socket_disable": True,
    }
    _Application(dict(options.items())).run()
