"""Values of attributes shown to nobody: encrypted at rest, apart from the others, and opened only where answers are worked out (semantics.md 2.4, 12.10)."""

import json
import logging
from typing import Any

from cryptography.fernet import InvalidToken
from django.apps import apps
from django.conf import settings

from moorland.server.directory.models import Account, AttributeDefinition, Group, Organization
from moorland.server.keys import keep_newest, sealing_keys, with_new_key

Holder = Account | Group | Organization

_log = logging.getLogger(__name__)


def secret_attributes() -> set[str]:
    """The attributes whose values are shown to nobody: they are written, and never read back."""
    return {item.name for item in AttributeDefinition.objects.all() if item.document.get("shown_to") == "nobody"}


def opened(sealed: str) -> dict[str, Any]:
    """The secret values of somebody. What cannot be opened is not set: it opens nothing."""
    if not sealed:
        return {}
    try:
        values: dict[str, Any] = json.loads(sealing_keys(settings.SEALING_KEYS).decrypt(sealed.encode()))
    except (InvalidToken, ValueError):
        _log.error("Secret values cannot be opened with the keys in %s; they count as not set.", settings.SEALING_KEYS)
        return {}
    return values


def _sealed(values: dict[str, Any]) -> str:
    return sealing_keys(settings.SEALING_KEYS).encrypt(json.dumps(values).encode()).decode() if values else ""


def set_values(holder: Holder, values: dict[str, Any], secret: set[str] | None = None) -> None:
    """Sets values of attributes, null clears; each goes where its definition says. The caller saves. `secret` are the secret attributes, where known."""
    secret = secret_attributes() if secret is None else secret
    plain = {**holder.attributes, **{name: value for name, value in values.items() if name not in secret}}
    holder.attributes = {name: value for name, value in plain.items() if value is not None}
    hidden = {name: value for name, value in values.items() if name in secret}
    if hidden:
        holder.sealed = _sealed({name: value for name, value in {**opened(holder.sealed), **hidden}.items() if value is not None})


def told_values(holder: Holder) -> dict[str, Any]:
    """The values of somebody as the trail may hold them: of a secret one, only that it is set."""
    return {**holder.attributes, **dict.fromkeys(opened(holder.sealed), "set")}


def holders_of_values(name: str) -> list[Holder]:
    """Everybody and everything that has a value of an attribute set."""
    every: list[Holder] = [*Account.objects.all(), *Group.objects.all(), *Organization.objects.all()]
    return [holder for holder in every if name in holder.attributes or name in opened(holder.sealed)]


def cleared(name: str) -> None:
    """Takes every value of an attribute away, wherever it is kept."""
    for holder in holders_of_values(name):
        holder.attributes.pop(name, None)
        holder.sealed = _sealed({other: value for other, value in opened(holder.sealed).items() if other != name})
        holder.save()


def redefined(name: str, secret: bool) -> None:
    """Before an attribute becomes secret, or no longer is: values become sealed; sealed ones are never opened to anyone, so they are cleared."""
    if not secret:
        cleared(name)
        return
    for holder in holders_of_values(name):
        if name in holder.attributes:
            set_values(holder, {name: holder.attributes.pop(name)}, {name})
            holder.save()


def rotated() -> int:
    """Seals everything that is sealed with a new key and forgets the old ones; how many people, groups and organizations had secret values.

    Whatever keeps something sealed keeps it in a field `sealed`: so nothing is forgotten that comes to be kept.
    """
    keys = with_new_key(settings.SEALING_KEYS)
    count = 0
    for kind in apps.get_models():
        if any(field.name == "sealed" for field in kind._meta.fields):
            for key, sealed in kind._default_manager.exclude(sealed="").values_list("pk", "sealed"):
                kind._default_manager.filter(pk=key).update(sealed=keys.rotate(sealed.encode()).decode())
                count += kind in (Account, Group, Organization)
    keep_newest(settings.SEALING_KEYS)
    return count
