"""Rows that add people and groups or change them, wherever they come from: each is looked at whole, and told what it does or why it is refused.

Nothing is written before `finish`; the caller's transaction decides whether it stays.
"""

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import Any, Literal

from django.db.models import CharField, Q, Value
from django.db.models.functions import Cast, Concat
from django.utils import timezone

from moorland.core.bundle.people import AttributeDefinition
from moorland.core.bundle.problems import nearest_name
from moorland.core.bundle.shape import Shape
from moorland.core.bundle.structure import identity, invisible
from moorland.core.bundle.values import TypedValue, typed_value
from moorland.core.sources.spellings import read_boolean, read_day, read_integer, read_moment, read_number
from moorland.server.directory.models import Account, Group, Organization
from moorland.server.directory.models import AttributeDefinition as StoredDefinition
from moorland.server.directory.secret_values import set_values
from moorland.server.errors import Failure, from_document

SEPARATOR = ";"
#: What a field of a row says: a text, or several.
Cell = str | list[str]
Outcome = Literal["created", "changed", "unchanged"]


def definitions_here() -> dict[str, AttributeDefinition]:
    """The definitions of attributes, by name."""
    return {item.name: from_document(AttributeDefinition, item.document) for item in StoredDefinition.objects.all()}


class RowReport(Shape):
    """What a row does, or why it is refused; `changes` say what becomes of what."""

    row: int
    name: str
    outcome: Literal["created", "changed", "unchanged", "refused"]
    changes: list[str]
    why: str | None


def refused(row: int, name: str, error: Exception) -> RowReport:
    """Why a row is refused, as a sentence."""
    message = str(error)
    return RowReport(row=row, name=name, outcome="refused", changes=[], why=message[0].upper() + message[1:].rstrip(".") + ".")


class RefusedRow(ValueError):
    """Why a row is refused."""


class _Faults:
    """Collects everything that is wrong in a row, so that it is told at once."""

    def __init__(self) -> None:
        self.found: list[str] = []

    @contextmanager
    def gathered(self) -> Iterator[None]:
        """What is raised inside is kept; the rest of the row is looked at all the same."""
        try:
            yield
        except (RefusedRow, Failure) as error:
            self.found.append(str(error))

    def told(self) -> None:
        """Raises RefusedRow with every fault, if there was one."""
        if self.found:
            raise RefusedRow("; ".join(self.found))


class _Rows:
    """What rows of people and of groups have in common: typed attribute values, each name once.

    A blank field leaves what is there; where rows come from who alone says it (`clears`), it takes it away.
    """

    def __init__(self, definitions: dict[str, AttributeDefinition], clears: bool = False) -> None:
        self.definitions, self.clears = definitions, clears
        self.secret = {name for name, definition in definitions.items() if definition.shown_to == "nobody"}
        self.seen: dict[str, str] = {}
        self.groups = {identity(item.name): item for item in Group.objects.all()}
        self.unknown_groups: set[str] = set()

    def add_groups(self, names: Iterable[str]) -> None:
        """Adds the groups of these names that are not here yet."""
        for name in names:
            if name and identity(name) not in self.groups:
                self.groups[identity(name)] = Group.objects.create(name=name[:200])

    def once(self, name: str) -> None:
        """Raises RefusedRow where a name stood in an earlier row, letter case aside."""
        if identity(name) in self.seen:
            first = self.seen[identity(name)]
            raise RefusedRow(f"{name} stands in an earlier row already" + (f", as {first}" if first != name else ""))
        self.seen[identity(name)] = name

    def texts(self, stored: Account | Group, fields: tuple[str, ...], values: Mapping[str, Cell], changes: list[str]) -> None:
        """Sets plain texts; one too long refuses the row."""
        for field in fields:
            text = one(values.get(field, ""))
            if len(text) > (4000 if field == "about" else 200):
                raise RefusedRow(f"the {field} is longer than {4000 if field == 'about' else 200} letters")
            if text and getattr(stored, field) != text:
                changes.append(f"{field}: {_told(getattr(stored, field))} → {text}")
                setattr(stored, field, text)

    def switch(self, stored: Account | Group, values: Mapping[str, Cell], changes: list[str]) -> None:
        """Enables or disables; a blank cell leaves what is there."""
        if text := one(values.get("enabled", "")):
            enabled = _boolean(text, "enabled")
            if stored.enabled != enabled:
                changes.append("enabled" if enabled else "disabled")
                stored.enabled = enabled

    def attributes(self, holder: Account | Group, values: Mapping[str, Cell], changes: list[str]) -> None:
        """Sets the attribute values of a row. Whether a secret value was the same already is told to nobody."""
        given: dict[str, Any] = {}
        for field, cell in values.items():
            if not field.startswith("attribute:") or not (cell or self.clears):
                continue
            definition = self.definitions[field.removeprefix("attribute:")]
            value = self._value(definition, cell) if cell else None
            if definition.name in self.secret:
                if value is not None or holder.sealed:
                    changes.append(f"{definition.name}: set")
            elif (present := holder.attributes.get(definition.name)) != value:
                changes.append(f"{definition.name}: {_told(present)} → {_told(value)}")
            given[definition.name] = value
        set_values(holder, given, self.secret)

    def _value(self, definition: AttributeDefinition, cell: Cell) -> Any:
        if isinstance(cell, list):
            if len(cell) > 1 and not definition.multiple:
                raise RefusedRow(f"{definition.name} has one value, and {len(cell)} are given")
            parts = cell
        else:
            parts = [part.strip() for part in cell.split(SEPARATOR) if part.strip()] if definition.multiple else [cell]
        values = [_typed(definition, part) for part in parts]
        for value in values:
            if definition.allowed is not None and value not in definition.allowed:
                near = nearest_name(str(value), map(str, definition.allowed))
                raise RefusedRow(f"{value} is not among the allowed values of {definition.name}" + (f"; nearest: {near}" if near else ""))
        return values if definition.multiple else values[0]


def one(cell: Cell) -> str:
    """A cell that holds one text: the first, where several are said."""
    return cell if isinstance(cell, str) else next(iter(cell), "")


def _typed(definition: AttributeDefinition, text: str) -> Any:
    readers: dict[str, Any] = {"integer": read_integer, "number": read_number, "boolean": read_boolean, "date": read_day, "timestamp": read_moment}
    if definition.type == "text":
        return text
    value: TypedValue | None = readers[definition.type](text)
    if value is None:
        raise RefusedRow(f"{text[:40]!r} is not of type {definition.type} ({definition.name})")
    plain = value.isoformat() if hasattr(value, "isoformat") else value
    typed_value(plain, definition.type)
    return plain


def _told(value: Any) -> str:
    return "blank" if value in (None, "") else ", ".join(map(str, value)) if isinstance(value, list) else str(value)


#: Words of a status column beside yes and no.
_STATUS = {
    "enabled": True,
    "active": True,
    "on": True,
    "1": True,
    "disabled": False,
    "inactive": False,
    "off": False,
    "0": False,
    "locked": False,
    "left": False,
}


def _boolean(text: str, field: str) -> bool:
    value = _STATUS.get(text.strip().lower(), read_boolean(text))
    if value is None:
        raise RefusedRow(f"{text[:40]!r} is neither yes nor no, enabled nor disabled, active nor inactive ({field})")
    return value


class PeopleRows(_Rows):
    """Rows that add people or change them; membership is only ever added, never taken away, by a row.

    `only` are the logins and mails the rows are about, where they are few: nobody else is read then.
    """

    def __init__(self, definitions: dict[str, AttributeDefinition], clears: bool = False, only: Collection[str] | None = None) -> None:
        super().__init__(definitions, clears)
        accounts, member = Account.objects.select_related("organization"), Group.users.through.objects.all()
        if only is not None:
            named = [identity(text) for text in only if text]
            accounts = accounts.filter(Q(login_identity__in=named) | Q(email_identity__in=named))
            member = member.filter(account__in=accounts)
        self.organizations = {identity(item.name): item for item in Organization.objects.all()} | {
            identity(item.label): item for item in Organization.objects.exclude(label="")
        }
        self.accounts = {account.login_identity: account for account in accounts}
        self.member: set[tuple[int, int]] = set(member.values_list("group_id", "account_id"))
        self.emails = {account.email_identity: account.login for account in self.accounts.values() if account.email_identity}
        self.joining: list[tuple[Account, Group]] = []
        self.created: list[Account] = []
        self.changed: list[Account] = []

    def row(self, values: Mapping[str, Cell], known: Account | None = None) -> tuple[Outcome, list[str]]:
        """What a row does to the person of its login, or to somebody who is known otherwise, whose login may be another now. Raises RefusedRow."""
        login = one(values["login"])
        self.once(login)
        account = known or self.accounts.get(identity(login))
        changes: list[str] = []
        if known is None and account is not None and account.login != login:
            raise RefusedRow(f"{login} is written {account.login} here; letter case does not tell logins apart")
        created = account is None
        if account is None or account.login != login:
            self._refuse_login(login, account)
        if account is None:
            if not values.get("name"):
                raise RefusedRow("the name is blank, and nobody of this login is here yet")
            account = Account(login=login, name=one(values["name"])[:200])
            account.set_unusable_password()
        faults = _Faults()
        before = account.email
        with faults.gathered():
            self._plain(account, values, changes, created, faults)
        with faults.gathered():
            self.attributes(account, values, changes)
        joins: list[Group] = []
        with faults.gathered():
            joins = self._groups(one(values.get("groups", "")))
        faults.told()
        if account.login != login:
            changes.append(f"login: {account.login} → {login}")
            self.accounts.pop(identity(account.login), None)
            account.login = login
        new = [group for group in joins if created or (group.pk, account.pk) not in self.member]
        changes += [f"joins {group.name}" for group in new]
        if created or changes:
            self.accounts[identity(login)] = account
            if before and before != account.email:
                self.emails.pop(identity(before), None)
            if account.email:
                self.emails[identity(account.email)] = account.login
            (self.created if created else self.changed).append(account)
        for group in new:
            self.joining.append((account, group))
        return ("created" if created else "changed" if changes else "unchanged"), changes

    def _refuse_login(self, login: str, account: Account | None) -> None:
        if unseen := invisible(login):
            raise RefusedRow(f"the login holds {unseen}, which nobody can see")
        if len(login) > 200:
            raise RefusedRow("the login is longer than 200 letters")
        taken = self.accounts.get(identity(login))
        if account is not None and taken is not None and taken is not account:
            raise RefusedRow(f"the login {login} is taken by {taken.name}")

    def _plain(self, account: Account, values: Mapping[str, Cell], changes: list[str], created: bool, faults: "_Faults") -> None:
        with faults.gathered():
            self.texts(account, ("name", "about", "keeper"), values, changes)
        with faults.gathered():
            self._email(account, values, changes)
        with faults.gathered():
            self._organization(account, values, changes)
        with faults.gathered():
            self._kind(account, one(values.get("kind", "")), changes)
        with faults.gathered():
            self.switch(account, values, changes)

    def _email(self, account: Account, values: Mapping[str, Cell], changes: list[str]) -> None:
        email = one(values.get("email", ""))
        if not email and self.clears and "email" in values and account.email:
            changes.append(f"email: {account.email} → blank")
            account.email = None
        if email and email != account.email:
            holder = self.emails.get(identity(email))
            if holder is not None and holder != account.login:
                raise RefusedRow(f"the e-mail {email} belongs to {holder} already")
            if "@" not in email or " " in email or len(email) > 254:
                raise RefusedRow(f"{email[:60]!r} is no e-mail address")
            changes.append(f"email: {_told(account.email)} → {email}")
            account.email, account.email_set_at = email, timezone.now()

    def _organization(self, account: Account, values: Mapping[str, Cell], changes: list[str]) -> None:
        text = one(values.get("organization", ""))
        if not text and self.clears and "organization" in values and account.organization_id is not None:
            changes.append(f"organization: {account.organization.name if account.organization else ''} → blank")
            account.organization = None
        if text:
            organization = self.organizations.get(identity(text))
            if organization is None:
                near = nearest_name(text, [item.name for item in self.organizations.values()])
                raise RefusedRow(f"there is no organization {text}" + (f"; nearest: {near}" if near else ""))
            if account.organization_id != organization.pk:
                changes.append(f"organization: {_told(account.organization.name if account.organization else None)} → {organization.name}")
                account.organization = organization

    def _kind(self, account: Account, text: str, changes: list[str]) -> None:
        if text:
            if text not in ("person", "service"):
                raise RefusedRow(f"{text[:40]!r} is neither person nor service (kind)")
            if account.kind != text:
                changes.append(f"kind: {account.kind} → {text}")
                account.kind = text

    def _groups(self, text: str) -> list[Group]:
        found = []
        for name in (part.strip() for part in text.split(SEPARATOR)):
            if not name:
                continue
            group = self.groups.get(identity(name))
            if group is None:
                near = nearest_name(name, [item.name for item in self.groups.values()])
                self.unknown_groups.add(name)
                raise RefusedRow(f"there is no group {name}" + (f"; nearest: {near}" if near else ""))
            found.append(group)
        return found

    def finish(self, reports: Sequence[RowReport] = ()) -> None:
        """Writes everything at once; logins and mails may change hands among the rows."""
        Account.objects.bulk_create([account.identified() for account in self.created], batch_size=500)
        changed = list({account.pk: account for account in self.changed}.values())
        for account in changed:
            account.version += 1
            account.identified()
        keys = [account.pk for account in changed]
        for start in range(0, len(keys), 500):
            part = Account.objects.filter(pk__in=keys[start : start + 500])
            part.update(email_identity=None, login=Concat(Value("\n"), Cast("pk", CharField())), login_identity=Concat(Value("\n"), Cast("pk", CharField())))
        Account.objects.bulk_update(changed, _WRITTEN, batch_size=200)
        through = Group.users.through
        through.objects.bulk_create(
            [through(group_id=group.pk, account_id=account.pk) for account, group in self.joining], batch_size=500, ignore_conflicts=True
        )


#: The fields of an account that a row can change.
_WRITTEN = (
    "login", "login_identity", "name", "email", "email_identity", "email_set_at", "organization", "kind", "enabled", "attributes", "sealed", "about", "keeper", "version",
)  # fmt: skip


class GroupRows(_Rows):
    """Rows that add groups or change them; members are only ever added by a file."""

    def __init__(self, definitions: dict[str, AttributeDefinition]) -> None:
        super().__init__(definitions)
        self.accounts = {account.login_identity: account for account in Account.objects.all()}
        self.inner: list[tuple[Group, str, int]] = []

    def row(self, values: Mapping[str, Cell]) -> tuple[Outcome, list[str]]:
        """What a row does to the group of its name. Raises RefusedRow."""
        name = one(values["name"])
        self.once(name)
        group = self.groups.get(identity(name))
        changes: list[str] = []
        if group is not None and group.name != name:
            raise RefusedRow(f"{name} is written {group.name} here; letter case does not tell groups apart")
        created = group is None
        group = group or Group(name=name)
        self.texts(group, ("label", "about", "keeper"), values, changes)
        if text := one(values.get("priority", "")):
            priority = read_integer(text)
            if priority is None:
                raise RefusedRow(f"{text[:40]!r} is no whole number (priority)")
            if group.priority != priority:
                changes.append(f"priority: {_told(group.priority)} → {priority}")
                group.priority = priority
        self.switch(group, values, changes)
        self.attributes(group, values, changes)
        users = self._users(one(values.get("users", "")))
        if created or changes:
            group.version += 0 if created else 1
            group.save()
            self.groups[identity(name)] = group
        present = set(group.users.values_list("pk", flat=True))
        added = [account for account in users if account.pk not in present]
        group.users.add(*added)
        changes += [f"+ {account.login}" for account in added]
        for inner in (part.strip() for part in one(values.get("groups", "")).split(SEPARATOR)):
            if inner:
                self.inner.append((group, inner, len(self.inner)))
                if identity(inner) not in {identity(item.name) for item in group.groups.all()}:
                    changes.append(f"+ group {inner}")
        return ("created" if created else "changed" if changes else "unchanged"), changes

    def _users(self, text: str) -> list[Account]:
        found = []
        for login in (part.strip() for part in text.split(SEPARATOR)):
            if not login:
                continue
            account = self.accounts.get(identity(login))
            if account is None:
                near = nearest_name(login, [item.login for item in self.accounts.values()])
                raise RefusedRow(f"{login} names nobody" + (f"; nearest: {near}" if near else ""))
            found.append(account)
        return found

    def finish(self, reports: list[RowReport]) -> None:
        """Puts groups into groups once all of them are there; a name that is no group refuses its row."""
        for group, name, _ in self.inner:
            inner = self.groups.get(identity(name))
            if inner is None:
                for index, report in enumerate(reports):
                    if report.name == group.name:
                        reports[index] = report.model_copy(update={"outcome": "refused", "changes": [], "why": f"There is no group {name}."})
            else:
                group.groups.add(inner)
