"""What a client does to users and groups of its origin: each operation is one act, tried, held beyond the bounds, all or nothing (accounts.md 20)."""

import uuid
from collections.abc import Iterator
from typing import Any

from django.db.models import QuerySet
from scim2_models import (
    ConflictException,
    InvalidValueException,
    NotFoundException,
    PreconditionFailedException,
    SCIMException,
    UniquenessException,
)
from scim2_models.path import AttrPath, Comparison

from moorland.server.errors import Failure
from moorland.server.origins.models import Entry, Origin
from moorland.server.origins.running import carried_out, keeper_of, text_of
from moorland.server.origins.said import Said, SaidGroup
from moorland.server.origins.scim.resources import FILTERS, MODELS, MOST_RESULTS, Resource, everybody_by_group, members_of, said_of
from moorland.server.origins.shapes import ScimText


class Held(SCIMException):
    """503: what was sent is beyond what this origin may do by itself; it comes when it is sent again, once somebody let it through."""

    status = 503
    scim_type = ""


class Provisioning:
    """The users and groups of one origin; nothing of another is reached."""

    def __init__(self, origin: Origin, address: str) -> None:
        text = text_of(origin)
        assert isinstance(text, ScimText)
        self.origin, self.text, self.address = origin, text, address
        self._groups_of: dict[str, list[tuple[str, str]]] | None = None

    def entries(self, kind: str) -> QuerySet[Entry]:
        """The entries of a kind that are there."""
        return Entry.objects.filter(origin=self.origin, kind=kind, gone=False)

    def entry(self, kind: str, key: str) -> Entry:
        """One of them. Raises NotFoundException."""
        found = self.entries(kind).filter(key=key).first()
        if found is None:
            raise NotFoundException(detail=f"There is no {'user' if kind == 'person' else 'group'} {key}.")
        return found

    def resource(self, entry: Entry) -> Resource:
        """An entry as a resource, with what is said of it here: id, groups, meta."""
        model = MODELS[entry.kind]
        place = f"{self.address}/{'Users' if entry.kind == 'person' else 'Groups'}/{entry.key}"
        meta = {
            "resourceType": "User" if entry.kind == "person" else "Group",
            "created": entry.created_at.isoformat(),
            "lastModified": entry.changed_at.isoformat(),
            "location": place,
            "version": etag(entry),
        }
        more: dict[str, Any] = {"id": entry.key, "meta": meta}
        if entry.kind == "person":
            groups = [{"value": key, "display": name, "$ref": f"{self.address}/Groups/{key}"} for key, name in self.groups_of().get(entry.key, [])]
            more["groups"] = groups or None
        return model.model_validate({**entry.document, **more})

    def groups_of(self) -> dict[str, list[tuple[str, str]]]:
        """The groups each user is directly in, by key and name; read once for a request."""
        if self._groups_of is None:
            found: dict[str, list[tuple[str, str]]] = {}
            for key, document in self.entries("group").values_list("key", "document"):
                for member in members_of(document):
                    found.setdefault(member, []).append((key, document.get("displayName", "")))
            self._groups_of = found
        return self._groups_of

    def found(self, kind: str, asked: Any) -> tuple[int, list[Resource]]:
        """How many resources fit, and a page of them."""
        if kind == "all":
            return self._among_all(asked)
        entries = self.entries(kind)
        start, count = asked.start_index_0 or 0, min(MOST_RESULTS if asked.count is None else asked.count, MOST_RESULTS)
        if asked.filter is None and asked.sort_by is None:
            return entries.count(), [self.resource(entry) for entry in entries[start : start + count]]
        bound = FILTERS[kind](str(asked.filter)) if asked.filter is not None else None
        fitting = [item for item in self._likely(entries, bound) if bound is None or bound.match(item)]
        ordered = asked.sort(fitting)
        return len(ordered), ordered[start : start + count]

    def _among_all(self, asked: Any) -> tuple[int, list[Resource]]:
        start, count = asked.start_index_0 or 0, min(MOST_RESULTS if asked.count is None else asked.count, MOST_RESULTS)
        fitting: list[Resource] = []
        for kind in ("person", "group"):
            bound = FILTERS[kind](str(asked.filter)) if asked.filter is not None else None
            fitting += [item for item in self._likely(self.entries(kind), bound) if bound is None or bound.match(item)]
        return len(fitting), asked.sort(fitting)[start : start + count]

    def _likely(self, entries: QuerySet[Entry], bound: Any) -> Iterator[Resource]:
        """Resources that may fit a filter: where it asks for one name or key, those that have it, else all."""
        node = bound.ast if bound is not None else None
        if isinstance(node, Comparison) and node.op.value == "eq" and isinstance(node.attr_path, AttrPath) and isinstance(node.value, str):
            name = str(node.attr_path).lower()
            places = {"username": "document__userName__iexact", "displayname": "document__displayName__iexact", "externalid": "document__externalId"}
            if name in places and node.value.isascii():
                entries = entries.filter(**{places[name]: node.value})
            elif name == "id":
                entries = entries.filter(key=node.value)
        return (self.resource(entry) for entry in entries.iterator(chunk_size=500))

    def create(self, kind: str, resource: Resource) -> Entry:
        """A new user or group. Raises UniquenessException where its name is taken."""
        key = str(uuid.uuid4())
        self._store(kind, key, resource)
        return self.entry(kind, key)

    def replace(self, kind: str, key: str, resource: Resource, if_match: str | None) -> Entry:
        """A user or group as it is said anew."""
        entry = self._expected(kind, key, if_match)
        resource.replace(self.resource(entry))
        self._store(kind, key, resource)
        return self.entry(kind, key)

    def patch(self, kind: str, key: str, patch: Any, if_match: str | None) -> Entry:
        """Some of a user or group; all operations, or none."""
        entry = self._expected(kind, key, if_match)
        resource = self.resource(entry)
        if patch.patch(resource):
            self._store(kind, key, resource)
        return self.entry(kind, key)

    def delete(self, kind: str, key: str, if_match: str | None) -> None:
        """A user is disabled here and not there any more; a group is not there any more, and nobody is in what it filled."""
        self._expected(kind, key, if_match)
        groups = self._groups()
        touched = [group for group, document in groups.items() if key in members_of(document)]
        for group in touched:
            groups[group] = {**groups[group], "members": [item for item in groups[group].get("members") or [] if item.get("value") != key]}
        if kind == "person":
            self._carry_out(Said(gone=frozenset({key}), groups=[SaidGroup(group, groups[group]) for group in touched], members=self._members(groups)))
            return
        del groups[key]
        members = {**self._members(groups), key: frozenset[str]()}
        self._carry_out(Said(groups=[SaidGroup(key, None), *(SaidGroup(group, groups[group]) for group in touched)], members=members))

    def _expected(self, kind: str, key: str, if_match: str | None) -> Entry:
        entry = self.entry(kind, key)
        if if_match is not None and if_match.strip() != "*" and etag(entry) not in [part.strip() for part in if_match.split(",")]:
            raise PreconditionFailedException(detail=f"It was changed meanwhile; its version is {etag(entry)}.")
        return entry

    def _store(self, kind: str, key: str, resource: Resource) -> None:
        if kind == "person":
            self._refuse_taken("userName", "person", key, resource.user_name)
            self._carry_out(Said([said_of(self.text, key, resource)]))
            return
        self._refuse_taken("displayName", "group", key, resource.display_name)
        document = resource.model_dump()
        for unsaid in ("id", "meta"):
            document.pop(unsaid, None)
        members = list(dict.fromkeys(members_of(document)))
        users, groups = set(self.entries("person").filter(key__in=members).values_list("key", flat=True)), self._groups()
        unknown = [member for member in members if member not in users and member not in groups]
        if unknown:
            raise InvalidValueException(detail=f"members: there is no user and no group {unknown[0]}.", attribute="members")
        given = {str(item["value"]): item for item in document.get("members") or [] if item.get("value")}
        document["members"] = [{**given[member], **self._reference(member, member in users)} for member in members]
        groups[key] = document
        self._carry_out(Said(groups=[SaidGroup(key, document)], members=self._members(groups)))

    def _reference(self, key: str, is_user: bool) -> dict[str, str]:
        kind = "User" if is_user else "Group"
        return {"value": key, "type": kind, "$ref": f"{self.address}/{kind}s/{key}"}

    def _groups(self) -> dict[str, dict[str, Any]]:
        return dict(self.entries("group").values_list("key", "document"))

    def _members(self, groups: dict[str, dict[str, Any]]) -> dict[str, frozenset[str]]:
        """All people of the groups that fill groups here."""
        listed = {item.entry for item in self.text.listed}
        if not listed:
            return {}
        everybody = everybody_by_group(groups, self.entries("person").values_list("key", flat=True))
        return {key: people for key, people in everybody.items() if key in listed}

    def _refuse_taken(self, attribute: str, kind: str, key: str, name: str | None) -> None:
        wanted = str(name or "").strip()
        if not wanted:
            raise InvalidValueException(detail=f"{attribute} is blank.", attribute=attribute)
        same = self.entries(kind).exclude(key=key).filter(**{f"document__{attribute}__iexact": wanted})
        if same.exists():
            raise UniquenessException(detail=f"The {attribute} {wanted} is taken.", attribute=attribute)

    def _carry_out(self, said: Said) -> None:
        """One act. Raises Held, UniquenessException where somebody here has the login or mail, and InvalidValueException for what cannot be taken."""
        try:
            run = carried_out(self.origin, self.text, said, keeper_of(self.origin), over_time=True, whole=True)
        except Failure as failure:
            if failure.code == "refused":
                taken = " belongs to " in failure.message or " is taken " in failure.message
                raise (ConflictException if taken else InvalidValueException)(detail=failure.message) from None
            raise
        self._groups_of = None
        if run.state == "held":
            raise Held(detail=f"Held until somebody looks: {run.message}")


def etag(entry: Entry) -> str:
    """The version of an entry as RFC 7232 writes it."""
    return f'W/"{entry.version}"'
