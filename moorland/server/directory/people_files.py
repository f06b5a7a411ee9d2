"""People and groups from CSV and to it: columns mapped, every row tried and told about, all applied or nothing."""

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from typing import Any, Literal

from django.db import transaction
from pydantic import Field

from moorland.core.bundle.people import AttributeDefinition
from moorland.core.bundle.problems import nearest_name
from moorland.core.bundle.shape import Shape
from moorland.core.bundle.structure import identity, invisible
from moorland.core.bundle.values import TypedValue, typed_value
from moorland.core.insight.impact import ViewerImpact
from moorland.core.sources.cells import written
from moorland.core.sources.csv_files import csv_rows
from moorland.core.sources.exporting import as_it_was, csv_text
from moorland.core.sources.previews import headers_of
from moorland.core.sources.readings import FileReading
from moorland.core.sources.sheets import sheet_rows
from moorland.core.sources.spellings import read_boolean, read_day, read_integer, read_moment, read_number
from moorland.server.catalog.uploaded import upload_of
from moorland.server.directory.document import people_document
from moorland.server.directory.models import Account, Group, Organization
from moorland.server.directory.secret_values import set_values
from moorland.server.errors import Failure, from_document

SEPARATOR = ";"
MOST_ROWS = 50_000
#: Signs before which an export puts an apostrophe; brought in again, it goes.
FIELDS = {
    "people": ("login", "name", "email", "organization", "kind", "enabled", "about", "keeper", "groups"),
    "groups": ("name", "label", "priority", "enabled", "about", "keeper", "users", "groups"),
}
Kind = Literal["people", "groups"]


class PeopleImport(Shape):
    """A file of people or groups. `columns` maps fields (login, name …, `attribute:areas`) to places in the file, from 0."""

    upload: str
    reading: FileReading
    kind: Kind
    columns: dict[str, int] = Field(max_length=200)
    leave_out_refused: bool = False
    #: Adds the groups that people in the file are put in and that are not here yet.
    add_groups: bool = False


class RowReport(Shape):
    """What a row does, or why it is refused; `changes` say what becomes of what."""

    row: int
    name: str
    outcome: Literal["created", "changed", "unchanged", "refused"]
    changes: list[str]
    why: str | None


class ImportReport(Shape):
    """Every row of a file, tried; `viewers` are those who would see something else."""

    rows: list[RowReport]
    created: int
    changed: int
    unchanged: int
    refused: int
    #: Groups named in the file that are not here; they can be added with it.
    unknown_groups: list[str]
    viewers: list[ViewerImpact]


class _Row(ValueError):
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
        except (_Row, Failure) as error:
            self.found.append(str(error))

    def told(self) -> None:
        """Raises _Row with every fault, if there was one."""
        if self.found:
            raise _Row("; ".join(self.found))


def file_rows(asked: PeopleImport) -> tuple[list[str], list[tuple[int, list[str]]]]:
    """The header and the filled rows of the file with their numbers. Raises BundleError where it cannot be read."""
    upload = upload_of(asked.upload)
    source: Iterator[list[str]]
    if asked.reading.format == "csv":
        source = csv_rows(upload.path, upload.name, asked.reading)
    elif asked.reading.format == "xlsx":
        source = ([written(cell, "text") or "" for cell in row] for row in sheet_rows(upload.path, upload.name, asked.reading))
    else:
        raise Failure(422, "format", "People come in as CSV or XLSX.")
    header: list[str] = []
    rows: list[tuple[int, list[str]]] = []
    for number, row in enumerate(source, 1):
        if number == asked.reading.header_row:
            header = headers_of(row)
        elif number > asked.reading.header_row and any(cell.strip() for cell in row):
            if asked.reading.format == "csv" and len(row) != len(header):
                raise Failure(422, "csv", f"Row {number:,} has {len(row)} cells, the header has {len(header)}. Nothing was changed.")
            rows.append((number, [as_it_was(cell) for cell in row]))
            if len(rows) > MOST_ROWS:
                raise Failure(422, "too_large", f"More than {MOST_ROWS:,} rows. Bring them in pieces.")
    return header, rows


def run(asked: PeopleImport) -> tuple[list[RowReport], list[str]]:
    """Applies every row, one after the other: what each did, and the groups that were missing; the caller's transaction decides whether it stays."""
    definitions = {item["name"]: from_document(AttributeDefinition, item) for item in people_document()["attributes"]}
    known = {*FIELDS[asked.kind], *(f"attribute:{name}" for name in definitions)}
    unknown = sorted(set(asked.columns) - known)
    key = "login" if asked.kind == "people" else "name"
    if unknown:
        raise Failure(422, "unknown_name", f"There is no field {unknown[0]}.")
    if key not in asked.columns:
        raise Failure(422, "missing_column", f"Say which column holds the {key}.")
    header, rows = file_rows(asked)
    beyond = [field for field, place in asked.columns.items() if not 0 <= place < len(header)]
    if beyond:
        raise Failure(422, "missing_column", f"The file has no column for {beyond[0]}.")
    importing = _People(definitions) if asked.kind == "people" else _Groups(definitions)
    place = asked.columns.get("groups")
    if asked.add_groups and asked.kind == "people" and place is not None:
        importing.add_groups(part.strip() for _, cells in rows if place < len(cells) for part in cells[place].split(SEPARATOR))
    reports: list[RowReport] = []
    for number, cells in rows:
        values = {field: (cells[place].strip() if place < len(cells) else "") for field, place in asked.columns.items()}
        name = values[key]
        try:
            if not name:
                raise _Row(f"the {key} is blank")
            with transaction.atomic():
                outcome, changes = importing.row(values)
            reports.append(RowReport(row=number, name=name, outcome=outcome, changes=changes, why=None))
        except (_Row, Failure) as error:
            message = str(error)
            reports.append(RowReport(row=number, name=name, outcome="refused", changes=[], why=message[0].upper() + message[1:].rstrip(".") + "."))
    importing.finish(reports)
    return reports, sorted(importing.unknown_groups)


class _Importing:
    """What rows of people and of groups have in common: typed attribute values, each name once in a file."""

    def __init__(self, definitions: dict[str, AttributeDefinition]) -> None:
        self.definitions = definitions
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
        """Raises _Row where a name stood in an earlier row, letter case aside."""
        if identity(name) in self.seen:
            first = self.seen[identity(name)]
            raise _Row(f"{name} stands in an earlier row already" + (f", as {first}" if first != name else ""))
        self.seen[identity(name)] = name

    def texts(self, stored: Account | Group, fields: tuple[str, ...], values: dict[str, str], changes: list[str]) -> None:
        """Sets plain texts; a blank cell leaves what is there, and one too long refuses the row."""
        for field in fields:
            text = values.get(field, "")
            if len(text) > (4000 if field == "about" else 200):
                raise _Row(f"the {field} is longer than {4000 if field == 'about' else 200} letters")
            if text and getattr(stored, field) != text:
                changes.append(f"{field}: {_told(getattr(stored, field))} → {text}")
                setattr(stored, field, text)

    def switch(self, stored: Account | Group, values: dict[str, str], changes: list[str]) -> None:
        """Enables or disables; a blank cell leaves what is there."""
        if text := values.get("enabled", ""):
            enabled = _boolean(text, "enabled")
            if stored.enabled != enabled:
                changes.append("enabled" if enabled else "disabled")
                stored.enabled = enabled

    def attributes(self, holder: Account | Group, values: dict[str, str], changes: list[str]) -> None:
        """Sets the attribute values of a row; a blank cell leaves what is there. Whether a secret value was the same already is told to nobody."""
        given: dict[str, Any] = {}
        for field, text in values.items():
            if not field.startswith("attribute:") or not text:
                continue
            definition = self.definitions[field.removeprefix("attribute:")]
            value = self._value(definition, text)
            if definition.name in self.secret:
                changes.append(f"{definition.name}: set")
            elif (present := holder.attributes.get(definition.name)) != value:
                changes.append(f"{definition.name}: {_told(present)} → {_told(value)}")
            given[definition.name] = value
        set_values(holder, given, self.secret)

    def _value(self, definition: AttributeDefinition, text: str) -> Any:
        parts = [part.strip() for part in text.split(SEPARATOR) if part.strip()] if definition.multiple else [text]
        values = [_typed(definition, part) for part in parts]
        for value in values:
            if definition.allowed is not None and value not in definition.allowed:
                near = nearest_name(str(value), map(str, definition.allowed))
                raise _Row(f"{value} is not among the allowed values of {definition.name}" + (f"; nearest: {near}" if near else ""))
        return values if definition.multiple else values[0]


def _typed(definition: AttributeDefinition, text: str) -> Any:
    readers: dict[str, Any] = {"integer": read_integer, "number": read_number, "boolean": read_boolean, "date": read_day, "timestamp": read_moment}
    if definition.type == "text":
        return text
    value: TypedValue | None = readers[definition.type](text)
    if value is None:
        raise _Row(f"{text[:40]!r} is not of type {definition.type} ({definition.name})")
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
        raise _Row(f"{text[:40]!r} is neither yes nor no, enabled nor disabled, active nor inactive ({field})")
    return value


class _People(_Importing):
    """Rows that add people or change them; membership is only ever added, never taken away, by a file."""

    def __init__(self, definitions: dict[str, AttributeDefinition]) -> None:
        super().__init__(definitions)
        self.organizations = {identity(item.name): item for item in Organization.objects.all()} | {
            identity(item.label): item for item in Organization.objects.exclude(label="")
        }
        self.accounts = {account.login_identity: account for account in Account.objects.all()}
        self.member: set[tuple[int, int]] = set(Group.users.through.objects.values_list("group_id", "account_id"))
        self.emails = {account.email_identity: account.login for account in self.accounts.values() if account.email_identity}
        self.joining: list[tuple[Account, Group]] = []

    def row(self, values: dict[str, str]) -> tuple[Literal["created", "changed", "unchanged"], list[str]]:
        login = values["login"]
        self.once(login)
        account = self.accounts.get(identity(login))
        changes: list[str] = []
        if account is not None and account.login != login:
            raise _Row(f"{login} is written {account.login} here; letter case does not tell logins apart")
        created = account is None
        if account is None:
            if unseen := invisible(login):
                raise _Row(f"the login holds {unseen}, which nobody can see")
            if not values.get("name"):
                raise _Row("the name is blank, and nobody of this login is here yet")
            account = Account(login=login, name=values["name"])
            account.set_unusable_password()
        faults = _Faults()
        with faults.gathered():
            self._plain(account, values, changes, created, faults)
        with faults.gathered():
            self.attributes(account, values, changes)
        joins: list[Group] = []
        with faults.gathered():
            joins = self._groups(values.get("groups", ""))
        faults.told()
        new = [group for group in joins if created or (group.pk, account.pk) not in self.member]
        changes += [f"joins {group.name}" for group in new]
        if created or changes:
            account.version += 0 if created else 1
            account.save()
        for group in new:
            self.joining.append((account, group))
        return ("created" if created else "changed" if changes else "unchanged"), changes

    def _plain(self, account: Account, values: dict[str, str], changes: list[str], created: bool, faults: _Faults) -> None:
        with faults.gathered():
            self.texts(account, ("name", "about", "keeper"), values, changes)
        with faults.gathered():
            self._email(account, values.get("email", ""), changes)
        with faults.gathered():
            self._organization(account, values.get("organization", ""), changes)
        with faults.gathered():
            self._kind(account, values.get("kind", ""), changes)
        with faults.gathered():
            self.switch(account, values, changes)

    def _email(self, account: Account, email: str, changes: list[str]) -> None:
        if email and email != account.email:
            holder = self.emails.get(identity(email))
            if holder is not None and holder != account.login:
                raise _Row(f"the e-mail {email} belongs to {holder} already")
            if "@" not in email or " " in email:
                raise _Row(f"{email[:60]!r} is no e-mail address")
            changes.append(f"email: {_told(account.email)} → {email}")
            account.email = email
            self.emails[identity(email)] = account.login

    def _organization(self, account: Account, text: str, changes: list[str]) -> None:
        if text:
            organization = self.organizations.get(identity(text))
            if organization is None:
                near = nearest_name(text, [item.name for item in self.organizations.values()])
                raise _Row(f"there is no organization {text}" + (f"; nearest: {near}" if near else ""))
            if account.organization_id != organization.pk:
                changes.append(f"organization: {_told(account.organization.name if account.organization else None)} → {organization.name}")
                account.organization = organization

    def _kind(self, account: Account, text: str, changes: list[str]) -> None:
        if text:
            if text not in ("person", "service"):
                raise _Row(f"{text[:40]!r} is neither person nor service (kind)")
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
                raise _Row(f"there is no group {name}" + (f"; nearest: {near}" if near else ""))
            found.append(group)
        return found

    def finish(self, reports: list[RowReport]) -> None:
        """Writes all memberships at once."""
        through = Group.users.through
        through.objects.bulk_create(
            [through(group_id=group.pk, account_id=account.pk) for account, group in self.joining], batch_size=500, ignore_conflicts=True
        )


class _Groups(_Importing):
    """Rows that add groups or change them; members are only ever added by a file."""

    def __init__(self, definitions: dict[str, AttributeDefinition]) -> None:
        super().__init__(definitions)
        self.accounts = {account.login_identity: account for account in Account.objects.all()}
        self.inner: list[tuple[Group, str, int]] = []

    def row(self, values: dict[str, str]) -> tuple[Literal["created", "changed", "unchanged"], list[str]]:
        name = values["name"]
        self.once(name)
        group = self.groups.get(identity(name))
        changes: list[str] = []
        if group is not None and group.name != name:
            raise _Row(f"{name} is written {group.name} here; letter case does not tell groups apart")
        created = group is None
        group = group or Group(name=name)
        self.texts(group, ("label", "about", "keeper"), values, changes)
        if text := values.get("priority", ""):
            priority = read_integer(text)
            if priority is None:
                raise _Row(f"{text[:40]!r} is no whole number (priority)")
            if group.priority != priority:
                changes.append(f"priority: {_told(group.priority)} → {priority}")
                group.priority = priority
        self.switch(group, values, changes)
        self.attributes(group, values, changes)
        users = self._users(values.get("users", ""))
        if created or changes:
            group.version += 0 if created else 1
            group.save()
            self.groups[identity(name)] = group
        present = set(group.users.values_list("pk", flat=True))
        added = [account for account in users if account.pk not in present]
        group.users.add(*added)
        changes += [f"+ {account.login}" for account in added]
        for inner in (part.strip() for part in values.get("groups", "").split(SEPARATOR)):
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
                raise _Row(f"{login} names nobody" + (f"; nearest: {near}" if near else ""))
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


def report_of(rows: list[RowReport], unknown_groups: list[str], viewers: list[ViewerImpact]) -> ImportReport:
    """The rows with their counts."""
    count = {outcome: sum(row.outcome == outcome for row in rows) for outcome in ("created", "changed", "unchanged", "refused")}
    return ImportReport(rows=rows, unknown_groups=unknown_groups, viewers=viewers, **count)


def exported(kind: Kind) -> str:
    """All people, or all groups, as CSV that can be brought in again; no password is in it, and no secret attribute."""
    document = people_document()
    attributes = [item["name"] for item in document["attributes"] if item.get("shown_to") != "nobody"]
    if kind == "people":
        member: dict[str, list[str]] = {}
        for group in document["groups"]:
            for login in group["users"]:
                member.setdefault(login, []).append(group["name"])
        lines = [
            [
                user["login"],
                user["name"],
                user["email"],
                user["organization"],
                user["kind"],
                user["enabled"],
                user.get("about"),
                user.get("keeper"),
                _joined(member.get(user["login"], [])),
            ]
            + [_joined(user["attributes"].get(name)) for name in attributes]
            for user in document["users"]
        ]
    else:
        lines = [
            [
                group["name"],
                group["label"],
                group["priority"],
                group["enabled"],
                group.get("about"),
                group.get("keeper"),
                _joined(group["users"]),
                _joined(group["groups"]),
            ]
            + [_joined(group["attributes"].get(name)) for name in attributes]
            for group in document["groups"]
        ]
    return csv_text([[*FIELDS[kind], *(f"attribute:{name}" for name in attributes)], *lines])


def _joined(value: Any) -> Any:
    return SEPARATOR.join(map(str, value)) if isinstance(value, list) else value
