"""The log as JSON lines: when, how grave, of what, in which request; without personal data of its own."""

import datetime
import json
import logging
import traceback

from moorland.server.operation.requests_seen import request_id


class JsonLines(logging.Formatter):
    """A line of JSON for each record; of an error, the places in the code and its kind, never the values it was about."""

    def format(self, record: logging.LogRecord) -> str:
        told: dict[str, object] = {
            "at": datetime.datetime.fromtimestamp(record.created, datetime.UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "of": record.name,
            "request": request_id.get() or None,
        }
        extra = getattr(record, "told", None)
        # What is put into a message may be a login, and what Django says of a request names its address.
        bare = bool(record.exc_info) or record.name.startswith("django")
        told |= extra if isinstance(extra, dict) else {"message": record.msg if bare else record.getMessage()}
        if record.exc_info and record.exc_info[0] is not None:
            told["error"] = record.exc_info[0].__name__
            told["where"] = [f"{frame.filename}:{frame.lineno} {frame.name}" for frame in traceback.extract_tb(record.exc_info[2])[-12:]]
        return json.dumps({key: value for key, value in told.items() if value is not None}, ensure_ascii=False, default=str)
