"""What of somebody's access can be copied, and what hangs on somebody who is to be deleted."""

from moorland.core.engine.evaluator import Evaluator
from moorland.server.catalog.models import KeptLine, Model
from moorland.server.directory.act_shapes import CopyAnswer, CopyItem, OwnedThing, OwnsAnswer
from moorland.server.directory.models import Account, Group
from moorland.server.directory.secret_values import opened
from moorland.server.pages.models import Page, ReaderPage
from moorland.server.policies.models import Role


def copy_items(base: Evaluator, account: Account) -> CopyAnswer:
    """Groups, own attribute values and direct roles of somebody; dated ones and those that open personal columns are marked."""
    items: list[CopyItem] = []
    viewer = base.viewer(account.login)
    for name in (name for name, path in viewer.groups.items() if len(path) == 1):
        reached = base.people.effective_groups([base.people.groups[name]])
        through = [role for role, held in viewer.held.items() if any(path and path[0] == name for _, path in held.paths)]
        dated = any(
            assignment is not None and (assignment.from_ or assignment.until) and path and path[0] == name
            for role in through
            for assignment, path in viewer.held[role].paths
        )
        opens = sorted({why for role in through if (why := _sensitive(base, role))})
        detail = f"gives {', '.join(base.roles[role].role.title for role in through)}" if through else "gives no role by itself"
        if len(reached) > 1:
            detail += f"; lies in {', '.join(other for other in reached if other != name)}"
        items.append(CopyItem(kind="group", name=name, label=base.people.groups[name].title, detail=detail, dated=dated, sensitive="; ".join(opens) or None))
    hidden = opened(account.sealed)
    for attribute in base.bundle.attributes:
        value = account.attributes.get(attribute.name, hidden.get(attribute.name))
        if value is not None:
            secret = "secret: shown to nobody" if attribute.shown_to == "nobody" else None
            shown = "set" if secret else ", ".join(map(str, value)) if isinstance(value, list) else str(value)
            items.append(
                CopyItem(
                    kind="attribute", name=attribute.name, label=attribute.title, detail=shown, value=None if secret else value, dated=False, sensitive=secret
                )
            )
    for assignment in account.assignments.select_related("role").filter(role__deleted=False):
        name = assignment.role.name
        days = " ".join(
            part
            for part in (f"from {assignment.first_day}" if assignment.first_day else "", f"until {assignment.last_day}" if assignment.last_day else "")
            if part
        )
        items.append(
            CopyItem(
                kind="role",
                name=name,
                label=str(assignment.role.document.get("label") or name),
                detail=days or "without end",
                from_=assignment.first_day,
                until=assignment.last_day,
                dated=bool(days),
                sensitive=_sensitive(base, name),
            )
        )
    return CopyAnswer(login=account.login, organization=account.organization.name if account.organization else None, items=items)


def _sensitive(base: Evaluator, role: str) -> str | None:
    """Why a role is sensitive: it shows columns with a tag that marks what is sensitive; those it masks are not counted."""
    compiled = base.roles.get(role)
    if compiled is None or compiled.objects is None or compiled.role.model is None or compiled.role.kind == "limit":
        return None
    schema = base.models[compiled.role.model].schema
    masked, sensitive = {mask.column for mask in compiled.masks}, set(base.bundle.sensitive_tags)
    shown = [
        f"{table}.{column}"
        for table, column in sorted(compiled.objects.columns)
        if sensitive.intersection(schema.columns[table, column].tags) and (table, column) not in masked
    ]
    return f"{compiled.role.title} shows sensitive columns: {', '.join(shown[:4])}{' …' if len(shown) > 4 else ''}" if shown else None


def owned_things(account: Account) -> OwnsAnswer:
    """Everything that hangs on somebody, and what becomes of it when the account is deleted."""
    login = account.login
    things = [OwnedThing(kind="group", name=group.label or group.name, becomes="loses a member") for group in account.in_groups.all()]
    things += [
        OwnedThing(kind="role", name=str(item.role.document.get("label") or item.role.name), becomes="the mapping is deleted")
        for item in account.assignments.select_related("role")
    ]
    things += [
        OwnedThing(kind="page", name=str(page.document.get("label") or page.name), becomes="needs another owner")
        for page in Page.objects.all()
        if page.document.get("owner") == login
    ]
    things += [
        OwnedThing(kind="page they made", name=page.document["label"], becomes="is nobody's; who keeps the pages of its shelf finds it")
        for page in ReaderPage.objects.filter(maker=account)
    ]
    for kind, stored in (("role", Role.objects.filter(deleted=False)), ("model", Model.objects.all())):
        things += [
            OwnedThing(kind=f"keeper of {kind}", name=str(item.document.get("label") or item.name), becomes="needs another keeper")
            for item in stored
            if item.document.get("keeper") == login
        ]
    things += [
        OwnedThing(kind="keeper of group", name=group.label or group.name, becomes="needs another keeper") for group in Group.objects.filter(keeper=login)
    ]
    named = [line for line in KeptLine.objects.filter(ended_at=None).select_related("kept") if login in line.values.values()]
    things += [
        OwnedThing(
            kind="line",
            name=f"{line.kept.table}: {', '.join(str(value) for value in line.values.values() if value is not None)}"[:200],
            becomes="names nobody from then on",
        )
        for line in named
    ]
    if account.has_usable_password():
        things.append(OwnedThing(kind="sign-in", name=login, becomes="ends at once; the trail keeps what was done"))
    return OwnsAnswer(login=login, things=things)
