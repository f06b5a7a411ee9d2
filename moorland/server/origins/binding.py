"""Signing in by the password a directory keeps: nothing of it is stored here (accounts.md 19)."""

from django.conf import settings

from moorland.server.directory.models import Account
from moorland.server.errors import Failure, from_document
from moorland.server.keys import sealing_keys
from moorland.server.origins.ldap_client import opened, proves
from moorland.server.origins.models import Entry, Origin
from moorland.server.origins.shapes import LdapText, OriginDocument


def secret_of(origin: Origin) -> str:
    """The secret of an origin, opened; empty where it has none."""
    return sealing_keys(settings.SEALING_KEYS).decrypt(origin.sealed.encode()).decode() if origin.sealed else ""


def directory_of(account: Account) -> tuple[Origin, LdapText, Entry] | None:
    """The directory whose passwords an account signs in by, with its entry there."""
    entry = Entry.objects.filter(account=account, kind="person").select_related("origin").first()
    if entry is None or entry.origin.kind != "ldap":
        return None
    text = from_document(OriginDocument, {"origin": entry.origin.document}).origin
    return (entry.origin, text, entry) if isinstance(text, LdapText) and text.sign_in else None


def bind_as(account: Account, password: str) -> bool | None:
    """Whether a password is the account's in its directory; None where it signs in otherwise. A directory that does not answer lets nobody in."""
    found = directory_of(account)
    if found is None:
        return None
    origin, text, entry = found
    if not origin.enabled or entry.gone or not password:
        return False
    try:
        return proves(text, _address(origin, text, entry) or "", password)
    except Failure:
        return False


def _address(origin: Origin, text: LdapText, entry: Entry) -> str | None:
    """Where the entry is now: it may have been moved since it was read."""
    from ldap.filter import escape_filter_chars

    if text.people.key.lower() == "objectguid":
        return entry.where
    asked = f"(&{text.people.filter}({text.people.key}={escape_filter_chars(entry.key)}))"
    with opened(text, text.bind, secret_of(origin)) as directory:
        found = list(directory.entries(text.people.base, asked, ["1.1"], most=2))
    return found[0][0] if len(found) == 1 else None
