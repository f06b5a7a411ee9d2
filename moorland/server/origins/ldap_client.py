"""A directory asked over LDAP (RFC 4511), and what it fails with in sentences. The client library is an optional extra."""

import contextlib
import hashlib
import importlib.util
import socket
import uuid
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from django.conf import settings

from moorland.core.sources.placing import machine_hosts
from moorland.server.errors import Failure
from moorland.server.origins.shapes import LdapText

#: Seconds a directory has for one answer.
LONGEST_SECONDS = 20
#: Entries in one page (RFC 2696), and at most altogether.
PAGE, MOST_ENTRIES = 500, 250_000
#: One entry: its distinguished name, and the values of its attributes by their names in lower letters.
Entry = tuple[str, dict[str, list[bytes]]]


def is_here() -> bool:
    """Whether the client library is installed."""
    return importlib.util.find_spec("ldap") is not None


class Directory:
    """A bound connection to a directory."""

    def __init__(self, connection: Any) -> None:
        self._connection = connection

    def entries(self, base: str, filter_: str, attributes: Sequence[str], most: int = MOST_ENTRIES, scope: str = "below") -> Iterator[Entry]:
        """Entries under a base, page by page. Raises Failure."""
        import ldap
        from ldap.controls import SimplePagedResultsControl

        paged = SimplePagedResultsControl(True, size=min(PAGE, most), cookie="")
        given = 0
        reach = ldap.SCOPE_BASE if scope == "itself" else ldap.SCOPE_SUBTREE
        while True:
            with telling(base, filter_):
                asked = self._connection.search_ext(base, reach, filter_, list(attributes), serverctrls=[paged], timeout=LONGEST_SECONDS)
                _, found, _, controls = self._connection.result3(asked, timeout=LONGEST_SECONDS)
            for name, values in found:
                # A referral has no name: it leads to another directory, which was not asked for.
                if name is not None:
                    yield name, {key.lower(): value for key, value in values.items()}
                    given += 1
                    if given >= most:
                        return
            cookie = next((control.cookie for control in controls if control.controlType == paged.controlType), b"")
            if not cookie:
                return
            paged.cookie = cookie

    def close(self) -> None:
        """Ends the connection."""
        with contextlib.suppress(Exception):
            self._connection.unbind_ext_s()


@contextlib.contextmanager
def opened(text: LdapText, name: str, password: str) -> Iterator[Directory]:
    """A connection bound by a name and a password; without a name, as nobody. Raises Failure (503) where that cannot be had."""
    directory = Directory(_connected(text, name, password))
    try:
        yield directory
    finally:
        directory.close()


def proves(text: LdapText, name: str, password: str) -> bool:
    """Whether a password is that of an entry. An empty one would be no proof (RFC 4513, 5.1.2): it is never sent. Raises Failure where nothing answers."""
    import ldap

    if not name or not password or "\0" in password:
        return False
    try:
        Directory(_bound(text, name, password)).close()
    except (
        ldap.INVALID_CREDENTIALS,
        ldap.NO_SUCH_OBJECT,
        ldap.INVALID_DN_SYNTAX,
        ldap.UNWILLING_TO_PERFORM,
        ldap.INAPPROPRIATE_AUTH,
        ldap.CONSTRAINT_VIOLATION,
    ):
        return False
    except ldap.LDAPError as wrong:
        raise _failure(text, wrong) from None
    return True


def _connected(text: LdapText, name: str, password: str) -> Any:
    import ldap

    if name and not password:
        raise Failure(503, "not_available", "A name to bind by needs its password.")
    try:
        return _bound(text, name, password)
    except ldap.LDAPError as wrong:
        raise _failure(text, wrong) from None


def _bound(text: LdapText, name: str, password: str) -> Any:
    """A connection, bound. Raises LDAPError."""
    if not is_here():
        raise Failure(503, "not_installed", 'The client library for directories is not installed here: pip install "moorland[ldap]".')
    import ldap

    if text.host not in machine_hosts():
        raise Failure(422, "invalid", f"{text.host} is not among the hosts of this machine's setting MOORLAND_SOURCE_HOSTS.")
    if text.security == "none" and text.host not in ("localhost", "127.0.0.1", "::1"):
        raise Failure(422, "invalid", "Without TLS a directory is asked on this machine only: passwords would travel open.")
    scheme, usual = ("ldaps", 636) if text.security == "ldaps" else ("ldap", 389)
    host = f"[{text.host}]" if ":" in text.host else text.host
    connection = ldap.initialize(f"{scheme}://{host}:{text.port or usual}", bytes_mode=False)
    connection.set_option(ldap.OPT_PROTOCOL_VERSION, 3)
    connection.set_option(ldap.OPT_REFERRALS, 0)
    connection.set_option(ldap.OPT_NETWORK_TIMEOUT, LONGEST_SECONDS)
    connection.set_option(ldap.OPT_TIMEOUT, LONGEST_SECONDS)
    if text.security != "none":
        connection.set_option(ldap.OPT_X_TLS_REQUIRE_CERT, ldap.OPT_X_TLS_DEMAND)
        if text.certificate:
            connection.set_option(ldap.OPT_X_TLS_CACERTFILE, str(_vouching(text.certificate)))
        connection.set_option(ldap.OPT_X_TLS_NEWCTX, 0)
    if text.security == "starttls":
        connection.start_tls_s()
    connection.simple_bind_s(name, password)
    return connection


def _vouching(certificate: str) -> Path:
    """The certificate as a file, which the client library asks for."""
    path = Path(settings.DATA) / "certificates" / f"{hashlib.sha256(certificate.encode()).hexdigest()[:32]}.pem"
    if not path.exists():
        path.parent.mkdir(mode=0o700, exist_ok=True)
        beside = path.with_name(f"{uuid.uuid4().hex}.new")
        beside.write_text(certificate)
        beside.replace(path)
    return path


@contextlib.contextmanager
def telling(base: str, filter_: str) -> Iterator[None]:
    """What a search fails with, as a Failure."""
    import ldap

    try:
        yield
    except ldap.NO_SUCH_OBJECT:
        raise Failure(422, "not_there", f"There is nothing at {base!r} in the directory.") from None
    except ldap.FILTER_ERROR:
        raise Failure(422, "invalid", f"{filter_!r} is no filter. Filters are written as in RFC 4515, for example (objectClass=person).") from None
    except ldap.INVALID_DN_SYNTAX:
        raise Failure(422, "invalid", f"{base!r} is no distinguished name, for example ou=people,dc=example,dc=org.") from None
    except (ldap.SIZELIMIT_EXCEEDED, ldap.ADMINLIMIT_EXCEEDED):
        raise Failure(
            503, "not_available", "The directory gives only a part of what was asked. Let the name that is bound by read more, or narrow the filter."
        ) from None
    except ldap.LDAPError as wrong:
        raise Failure(503, "not_available", f"The directory stopped answering: {_words(wrong)}.") from None


def _failure(text: LdapText, wrong: Exception) -> Failure:
    import ldap

    said = _words(wrong)
    if isinstance(wrong, ldap.INVALID_CREDENTIALS):
        return Failure(503, "not_available", f"{text.host} does not take this name and password.")
    if isinstance(wrong, ldap.INVALID_DN_SYNTAX):
        return Failure(503, "not_available", f"{text.bind!r} is no distinguished name, for example cn=reader,dc=example,dc=org.")
    if text.security != "none" and isinstance(wrong, ldap.SERVER_DOWN | ldap.CONNECT_ERROR) and _listens(text):
        # The client library has no words for what is wrong with a certificate.
        why = "write the certificate of who vouches for it, and the name it is for as the host"
        return Failure(503, "not_available", f"{text.host} answers, but its certificate is not one that is vouched for here: {why}.")
    if isinstance(wrong, ldap.CONFIDENTIALITY_REQUIRED):
        return Failure(503, "not_available", f"{text.host} asks for TLS. Choose LDAPS or StartTLS.")
    return Failure(503, "not_available", f"{text.host} cannot be reached: {said}.")


def _listens(text: LdapText) -> bool:
    with contextlib.suppress(OSError), socket.create_connection((text.host, text.port or (636 if text.security == "ldaps" else 389)), 5):
        return True
    return False


def _words(wrong: Exception) -> str:
    told = wrong.args[0] if wrong.args and isinstance(wrong.args[0], dict) else {}
    parts = [str(told[part]) for part in ("desc", "info") if told.get(part)]
    return " ".join("; ".join(parts or [str(wrong)]).split()).rstrip(".")[:300]
