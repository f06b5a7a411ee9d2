"""What a directory says of people and groups: read page by page, nesting resolved here, and looked at step by step while it is set up."""

import uuid
from collections import defaultdict

from moorland.server.directory.people_rows import Cell
from moorland.server.errors import Failure
from moorland.server.origins.ldap_client import Directory, Entry, opened
from moorland.server.origins.said import Said, SaidPerson, everybody_in
from moorland.server.origins.shapes import FoundEntry, FoundGroup, LdapText, OriginTried

#: So many real entries are shown at a step.
SHOWN = 8
#: Keys that are sixteen bytes and not a text.
_BINARY_KEYS = {"objectguid"}


def read_directory(text: LdapText, password: str) -> Said:
    """Everything a directory says, at once. Raises Failure, where nothing of it is to be believed."""
    with opened(text, text.bind, password) as directory:
        people = [person for entry in _people_entries(directory, text) if (person := _person(entry, text)) is not None]
        notes: list[str] = []
        members = _members(directory, text, people, notes)
    return Said(people, members, whole=True, notes=notes)


def _people_entries(directory: Directory, text: LdapText) -> list[Entry]:
    there = text.people
    names = [there.key, there.login, there.name, there.email, there.organization, *there.attributes.values()]
    return list(directory.entries(there.base, there.filter, sorted({name for name in names if name})))


def _person(entry: Entry, text: LdapText) -> SaidPerson | None:
    where, values = entry
    there = text.people
    fields: dict[str, Cell] = {"login": _first(values, there.login), "name": _first(values, there.name)}
    if there.email:
        fields["email"] = _first(values, there.email)
    if there.organization or text.home:
        fields["organization"] = (_first(values, there.organization) if there.organization else "") or text.home or ""
    for name, described in there.attributes.items():
        fields[f"attribute:{name}"] = _texts(values, described)
    return SaidPerson(_key(values, there.key), fields, where)


def _members(directory: Directory, text: LdapText, people: list[SaidPerson], notes: list[str]) -> dict[str, frozenset[str]]:
    if text.groups is None or not text.listed:
        return {}
    found, inside = _groups(directory, text)
    keys = _addresses(text, people)
    members: dict[str, frozenset[str]] = {}
    for address, (key, name, _) in found.items():
        if key in {item.entry for item in text.listed}:
            members[key], circle = everybody_in(inside, keys, address)
            if circle:
                notes.append(f"The group {name} is inside itself, through other groups. It was read once around.")
    return members


def _addresses(text: LdapText, people: list[SaidPerson]) -> dict[str, str]:
    """The keys of people by how groups name their members: by their address, or by login."""
    by_login = text.groups is not None and text.groups.member.lower() == "memberuid"
    return {(person.login if by_login else _plain_dn(person.where)): person.key for person in people}


#: By address: key, name, and where it is.
Groups = dict[str, tuple[str, str, str]]


def _groups(directory: Directory, text: LdapText) -> tuple[Groups, dict[str, list[str]]]:
    """All groups under the base, listed or not, because one may be inside another; and their members as they are named."""
    assert text.groups is not None
    there = text.groups
    found: Groups = {}
    inside: dict[str, list[str]] = defaultdict(list)
    by_login = there.member.lower() == "memberuid"
    for where, values in directory.entries(there.base, there.filter, [there.key, there.name, there.member]):
        address = _plain_dn(where)
        found[address] = (_key(values, there.key), _first(values, there.name), where)
        inside[address] = [member if by_login else _plain_dn(member) for member in _texts(values, there.member)]
    return found, inside


def look_around(text: LdapText, password: str) -> OriginTried:
    """What a directory shows of what is written so far, for each step of setting it up."""
    try:
        with opened(text, text.bind, password) as directory:
            bases = _bases(directory)
            if not text.people.base:
                return OriginTried(reached=True, message=f"{text.host} is reached.", bases=bases)
            found = list(directory.entries(text.people.base, text.people.filter, ["*", text.people.key]))
            people = [_person(entry, text) for entry in found]
            groups, problems = [], _wrong_with(text, [person for person in people if person is not None])
            if text.groups is not None and text.groups.base:
                groups = _found_groups(directory, text, [person for person in people if person is not None])
    except Failure as failure:
        return OriginTried(reached=False, message=failure.message)
    attributes = sorted({name for _, values in found[:200] for name in values})
    shown = [FoundEntry(where=where, values={name: _shown(values[name]) for name in sorted(values)}) for where, values in found[:SHOWN]]
    message = f"{len(found):,} people are found." if found else "Nobody is found there. Look at the base and the filter."
    return OriginTried(reached=True, message=message, bases=bases, people=shown, count=len(found), attributes=attributes, groups=groups, problems=problems)


def _bases(directory: Directory) -> list[str]:
    """Where a directory says its entries are (RFC 4512, 5.1), and what lies right below."""
    roots = [
        base for _, values in directory.entries("", "(objectClass=*)", ["namingContexts"], most=1, scope="itself") for base in _texts(values, "namingcontexts")
    ]
    units = [
        where for root in roots[:5] for where, _ in directory.entries(root, "(|(objectClass=organizationalUnit)(objectClass=container))", ["1.1"], most=100)
    ]
    return [*roots, *units]


def _found_groups(directory: Directory, text: LdapText, people: list[SaidPerson]) -> list[FoundGroup]:
    found, inside = _groups(directory, text)
    keys = _addresses(text, people)
    told = [
        FoundGroup(
            entry=key, name=name, where=where, members=len(everybody_in(inside, keys, address)[0]), inner=sum(member in found for member in inside[address])
        )
        for address, (key, name, where) in found.items()
        if key
    ]
    return sorted(told, key=lambda group: group.name.lower())


def _wrong_with(text: LdapText, people: list[SaidPerson]) -> list[str]:
    """What of the people found could not be taken, in sentences."""
    told = []
    blank = {
        "key": sum(not person.key for person in people),
        "login": sum(not person.login for person in people),
        "name": sum(not person.fields["name"] for person in people),
    }
    written = {"key": text.people.key, "login": text.people.login, "name": text.people.name}
    for what, count in blank.items():
        if count:
            told.append(f"{count:,} of {len(people):,} people have no {written[what]}, which gives the {what}.")
    return told


def _key(values: dict[str, list[bytes]], name: str) -> str:
    found = values.get(name.lower(), [])
    if not found:
        return ""
    return str(uuid.UUID(bytes_le=found[0])) if name.lower() in _BINARY_KEYS and len(found[0]) == 16 else _text(found[0])


def _texts(values: dict[str, list[bytes]], name: str) -> list[str]:
    return [_text(value) for value in values.get(name.lower(), [])]


def _first(values: dict[str, list[bytes]], name: str) -> str:
    return next(iter(_texts(values, name)), "").strip()


def _text(value: bytes) -> str:
    return value.decode("utf-8", "replace")


def _shown(values: list[bytes]) -> list[str]:
    return [value.decode() if _readable(value) else f"{len(value)} bytes" for value in values[:5]]


def _readable(value: bytes) -> bool:
    try:
        return len(value) <= 400 and value.decode().isprintable()
    except UnicodeDecodeError:
        return False


def _plain_dn(name: str) -> str:
    """A distinguished name by which two are compared: spaces and letter case aside (RFC 4514)."""
    from ldap.dn import dn2str, str2dn

    try:
        return str(dn2str([[(kind.lower(), value.lower(), flag) for kind, value, flag in sorted(part)] for part in str2dn(name)]))
    except Exception:
        return name.strip().lower()
