"""The settings of a session: what clients set and read, with effect only where it says so."""

from collections.abc import Callable

from moorland.wire.commands import Refused

VERSION, VERSION_NUMBER = "15.0", "150000"
#: Settings and their values at the start of a session.
DEFAULTS = {
    "server_version": VERSION,
    "server_version_num": VERSION_NUMBER,
    "server_encoding": "UTF8",
    "client_encoding": "UTF8",
    "application_name": "",
    "datestyle": "ISO, MDY",
    "intervalstyle": "postgres",
    "timezone": "UTC",
    "integer_datetimes": "on",
    "standard_conforming_strings": "on",
    "is_superuser": "off",
    "session_authorization": "",
    "default_transaction_read_only": "on",
    "transaction_read_only": "on",
    "in_hot_standby": "off",
    "transaction_isolation": "read committed",
    "default_transaction_isolation": "read committed",
    "default_transaction_deferrable": "off",
    "transaction_deferrable": "off",
    "search_path": '"$user", public',
    "statement_timeout": "0",
    "lock_timeout": "0",
    "idle_in_transaction_session_timeout": "0",
    "idle_session_timeout": "0",
    "extra_float_digits": "1",
    "bytea_output": "hex",
    "client_min_messages": "notice",
    "max_identifier_length": "63",
    "max_index_keys": "32",
    "lc_collate": "C.UTF-8",
    "lc_ctype": "C.UTF-8",
    "lc_messages": "C.UTF-8",
    "lc_monetary": "C.UTF-8",
    "lc_numeric": "C.UTF-8",
    "lc_time": "C.UTF-8",
    "row_security": "on",
    "jit": "off",
    "work_mem": "4MB",
    "ssl": "on",
    "geqo": "on",
    "enable_seqscan": "on",
    "enable_hashjoin": "on",
    "synchronous_commit": "on",
    "default_tablespace": "",
    "default_table_access_method": "heap",
    "xmloption": "content",
    "check_function_bodies": "on",
    "plan_cache_mode": "auto",
    "quote_all_identifiers": "off",
    "escape_string_warning": "on",
    "array_nulls": "on",
    "backslash_quote": "safe_encoding",
}
#: Settings a client is told of at the start and when they change, as they are spelled then.
TOLD = {
    "server_version": "server_version", "server_encoding": "server_encoding", "client_encoding": "client_encoding", "application_name": "application_name",
    "datestyle": "DateStyle", "intervalstyle": "IntervalStyle", "timezone": "TimeZone", "integer_datetimes": "integer_datetimes",
    "standard_conforming_strings": "standard_conforming_strings", "is_superuser": "is_superuser", "session_authorization": "session_authorization",
    "default_transaction_read_only": "default_transaction_read_only", "in_hot_standby": "in_hot_standby",
}  # fmt: skip
_FIXED = frozenset(("server_version", "server_version_num", "server_encoding", "integer_datetimes", "is_superuser", "session_authorization", "in_hot_standby"))
#: A setting is at most so long, and a session has at most so many of its own.
MOST_SIGNS, MOST_SETTINGS = 1_000, 200
AS = "moorland.as"


class Settings:
    """The settings of one session. `told` hears of those a client is told of; `stand_in` is asked for `moorland.as`."""

    def __init__(self, told: Callable[[str, str], None], stand_in: Callable[[str], None]) -> None:
        self.values = dict(DEFAULTS)
        self._told, self._stand_in = told, stand_in

    def set(self, name: str, value: str) -> None:
        """Sets one. Raises Refused."""
        name = name.lower()
        if name == AS:
            self._stand_in(value)
            self.values[AS] = value
            return
        if name.startswith("moorland."):
            raise Refused("42704", f'unrecognized configuration parameter "{name}"', f"The only one of these is {AS}.")
        if name not in DEFAULTS and "." not in name:
            raise Refused("42704", f'unrecognized configuration parameter "{name}"')
        if len(value) > MOST_SIGNS or (name not in self.values and len(self.values) >= len(DEFAULTS) + MOST_SETTINGS):
            raise Refused("54000", "This is more than a session keeps of settings.")
        if value.lower() == "default" and name in DEFAULTS:
            value = DEFAULTS[name]
        self._refuse(name, value)
        self._put(name, value)

    def _refuse(self, name: str, value: str) -> None:
        plain = value.strip().lower()
        if name == "client_encoding" and plain.replace("-", "").replace("_", "") not in ("utf8", "unicode", "sqlascii", "'utf8'"):
            raise Refused("0A000", "Texts come in UTF-8 here, and in no other encoding.")
        if name == "standard_conforming_strings" and plain in ("off", "false", "0", "no"):
            raise Refused("0A000", "Texts are read as the standard says: a backslash is a backslash.")
        if name == "datestyle" and not plain.startswith("iso"):
            raise Refused("0A000", "Dates are written as ISO 8601 says.")
        if name in ("default_transaction_read_only", "transaction_read_only") and plain in ("off", "false", "0", "no"):
            raise Refused("25006", "This door answers questions and changes nothing.")
        if name in _FIXED:
            raise Refused("55P02", f'parameter "{name}" cannot be changed')

    def _put(self, name: str, value: str) -> None:
        if name == "client_encoding":
            value = "UTF8"
        if name == "datestyle":
            value = "ISO, MDY"
        before, self.values[name] = self.values.get(name), value
        if name in TOLD and before != value:
            self._told(TOLD[name], value)

    def reset(self, name: str) -> None:
        """One as it was at the start, or all; `moorland.as` stays."""
        names = [key for key in self.values if key not in _FIXED and key != AS] if name == "all" else [name]
        for key in names:
            if key == AS:
                continue
            if key in DEFAULTS:
                self._put(key, DEFAULTS[key])
            elif key in self.values:
                del self.values[key]
            else:
                raise Refused("42704", f'unrecognized configuration parameter "{key}"')

    def show(self, name: str) -> str:
        """What one is. Raises Refused."""
        found = self.values.get(name.lower())
        if found is None:
            raise Refused("42704", f'unrecognized configuration parameter "{name}"')
        return found

    def begun_with(self, options: dict[str, str]) -> dict[str, str]:
        """The settings a connection asks for as it begins, those inside `options` among them."""
        found = {name: value for name, value in options.items() if name not in ("user", "database", "options", "replication") and not name.startswith("_pq_.")}
        words = options.get("options", "").replace("\\ ", "\0").split()
        for place, word in enumerate(words):
            written = words[place + 1] if word == "-c" and place + 1 < len(words) else word[2:] if word.startswith(("-c", "--")) and len(word) > 2 else ""
            name, equals, value = written.partition("=")
            if equals:
                found[name.replace("-", "_")] = value.replace("\0", " ")
        return found
