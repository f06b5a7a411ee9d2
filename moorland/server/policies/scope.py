"""Which roles an account may write, and how a role is told to who may not read what stands in it (accounts.md 1, 3)."""

from moorland.core.bundle.policy import PagesSentence, Role
from moorland.core.insight.holders import Holder
from moorland.core.insight.uses import uses_of_role
from moorland.core.insight.wording import said
from moorland.core.language.tokens import without_literals
from moorland.server.directory.knowing import PLACED, knows_person
from moorland.server.duties.rights import Rights, outside
from moorland.server.evaluating import evaluator
from moorland.server.policies.shapes import KeptAssignment, RoleEntry
from moorland.server.viewing.knowing import may_read_literals, without_path_literals


def refuse_role(rights: Rights, role: Role) -> None:
    """Raises Failure (403) where a role is not in the scope of a duty to write roles; a pages sentence needs its shelves as well."""
    if role.model is None:
        if not rights.whole("roles"):
            raise outside("Roles of no model are for who writes roles on everything.")
    elif not rights.reaches("roles", model=role.model):
        raise outside(f"Roles on {role.model} are not in the scope of your duties.")
    for sentence in role.sentences:
        if sentence.pages is not None and not _pages_within(rights, sentence.pages):
            raise outside("A sentence about pages needs the duty over pages on every shelf it names.")


def _pages_within(rights: Rights, sentence: PagesSentence) -> bool:
    if rights.whole("pages"):
        return True
    if sentence.on is None or sentence.where is not None:
        return False
    shelves = {page.name: page.shelf for page in evaluator("draft").bundle.pages}
    for name in sentence.on:
        kind, _, named = name.partition(":")
        shelf = named if kind == "shelf" else shelves.get(named) if kind == "page" else None
        if shelf is None or not rights.reaches("pages", shelf=shelf):
            return False
    return True


def refuse_renaming(rights: Rights, name: str) -> None:
    """Raises Failure (403) where the new name would be written into roles that are not the account's to write."""
    bundle = evaluator("draft").bundle
    users = {use.role for use in uses_of_role(bundle, name)}
    for role in bundle.roles:
        if role.name in users and role.name != name:
            refuse_role(rights, role)


def _without_condition(item: KeptAssignment) -> KeptAssignment:
    return item.model_copy(update={"assignment": item.assignment.model_copy(update={"when": without_literals(item.assignment.when or "")})})


def known_logins(rights: Rights) -> set[str] | None:
    """Whom an account knows of; None for everybody."""
    if any(rights.whole(act) for act in PLACED):
        return None
    return {viewer.login or "" for viewer in evaluator("draft").everyone() if knows_person(rights, viewer)}


def told_holders(holders: list[Holder], rights: Rights, role: Role) -> list[Holder]:
    """Who holds a role, as an account may read it: without literals the conditions by which it is held have none either."""
    if may_read_literals(rights, role.model):
        return holders
    return [holder.model_copy(update={"paths": without_path_literals(holder.paths)}) for holder in holders]


def told_role(entry: RoleEntry, rights: Rights, known: set[str] | None) -> RoleEntry:
    """A role as an account may read it: mapped to whom it knows (None: everybody), and without literals the sentences in words."""
    if known is not None:
        kept = [item for item in entry.assignments if item.assignment.user is None or item.assignment.user in known]
        entry = entry.model_copy(update={"assignments": kept})
    literals = may_read_literals(rights, entry.role.model)
    told = [said(sentence, literals) for sentence in entry.role.sentences]
    if literals:
        writes = rights.reaches("roles", model=entry.role.model) if entry.role.model is not None else rights.whole("roles")
        return entry if writes else entry.model_copy(update={"told": told})
    mapped = [item if item.assignment.when is None else _without_condition(item) for item in entry.assignments]
    entry = entry.model_copy(update={"assignments": mapped})
    bare = entry.role.model_copy(update={"sentences": []})
    released = entry.released.model_copy(update={"sentences": []}) if entry.released is not None else None
    return entry.model_copy(update={"role": bare, "released": released, "told": told})
