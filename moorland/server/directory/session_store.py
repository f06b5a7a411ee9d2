"""Sessions in the database under a hash of their key: whoever reads the database cannot use them."""

import hashlib
from typing import Any

from django.contrib.sessions.backends.db import SessionStore as DatabaseStore
from django.contrib.sessions.base_session import AbstractBaseSession
from django.utils import timezone

from moorland.server.unchanged import unless_changed


def hashed_key(key: str) -> str:
    """What a session is stored under."""
    return hashlib.sha256(key.encode()).hexdigest()[:40]


class SessionStore(DatabaseStore):
    """What stands in the cookie is never stored."""

    def _get_session_from_db(self) -> AbstractBaseSession | None:
        key = hashed_key(self.session_key or "")
        found = unless_changed(("session", key), lambda: self.model.objects.filter(session_key=key).first())
        if found is None or found.expire_date <= timezone.now():
            self._session_key = None
            return None
        return found

    def exists(self, session_key: str) -> bool:
        return bool(self.model.objects.filter(session_key=hashed_key(session_key)).exists())

    def create_model_instance(self, data: dict[str, Any]) -> AbstractBaseSession:
        made: AbstractBaseSession = super().create_model_instance(data)
        made.session_key = hashed_key(made.session_key)
        return made

    def delete(self, session_key: str | None = None) -> None:
        key = session_key if session_key is not None else self.session_key
        if key is not None:
            self.model.objects.filter(session_key=hashed_key(key)).delete()
