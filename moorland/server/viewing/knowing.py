"""What an account may know of models, roles and pages by its duties, and which values by its own roles (accounts.md 3, 4)."""

from collections import Counter
from typing import Any

from moorland.core.bundle.duties import ActName
from moorland.core.bundle.model import Model
from moorland.core.bundle.pages import Page
from moorland.core.bundle.policy import Role
from moorland.core.engine.questions import Question, RowsAnswer, RowsQuestion
from moorland.core.insight.holders import RolePath
from moorland.core.language.tokens import without_literals
from moorland.server.directory.models import Account
from moorland.server.duties.rights import Rights
from moorland.server.errors import from_document
from moorland.server.evaluating import evaluator
from moorland.server.viewing.shapes import ValueCount, ValuesAnswer

#: Acts written in models that let an account know a model is there, and what it is made of.
OF_MODELS: tuple[ActName, ...] = ("roles", "models", "look-shapes", "release", "checks")
#: Acts that let an account read literals of pages of no model.
_READING: tuple[ActName, ...] = ("roles", "look-values")
#: Of the rows an account may list itself so many are looked through for the values of a column.
MOST_ROWS = 10_000
MOST_VALUES = 200


def may_know_model(rights: Rights, model: str) -> bool:
    """Whether the model exists for the account: an act over it, a role on it to map, or pages to write."""
    if writes_pages(rights) or any(rights.reaches(act, model=model) for act in OF_MODELS):
        return True
    roles = evaluator("draft").roles.items()
    return "map" in rights.acts and any(role.role.model == model and rights.reaches("map", role=name) for name, role in roles)


def writes_pages(rights: Rights) -> bool:
    """Whether the account writes on a shelf that is there: then it knows what pages can be made of."""
    return rights.whole("pages") or any(rights.reaches("pages", shelf=shelf.name) for shelf in evaluator("draft").bundle.shelves)


def may_know_role(rights: Rights, role: Role) -> bool:
    """Whether the role exists for the account. A role of pages only needs an act over every model, or to be mapped by name."""
    if rights.reaches("map", role=role.name):
        return True
    if role.model is None:
        return any(rights.reaches(act, every_model=True) for act in OF_MODELS)
    return any(rights.reaches(act, model=role.model) for act in OF_MODELS)


def may_know_page(rights: Rights, page: Page) -> bool:
    """Whether the page exists for the account: it writes on the shelf, or knows the model."""
    if rights.reaches("pages", shelf=page.shelf):
        return True
    if page.model is None:
        return any(rights.reaches(act, every_model=True) for act in OF_MODELS)
    return any(rights.reaches(act, model=page.model) for act in OF_MODELS)


def may_read_page(rights: Rights, page: Page) -> bool:
    """Whether the account may read the literals in a page's filters."""
    return rights.reaches("pages", shelf=page.shelf) or may_read_literals(rights, page.model)


def may_read_literals(rights: Rights, model: str | None) -> bool:
    """Whether the account may read what stands in sentences, filters and expressions: values of the data often do."""
    if model is None:
        return any(rights.reaches(act, every_model=True) for act in _READING)
    return rights.reaches("roles", model=model) or rights.reaches("models", model=model) or rights.reaches("look-values", everyone=True, model=model)


def without_path_literals(paths: list[RolePath]) -> list[RolePath]:
    """Ways a role is held, in whose conditions every literal reads …."""

    def bare(path: RolePath) -> RolePath:
        written = path.assignment
        if written is None or written.when is None:
            return path
        return path.model_copy(update={"assignment": written.model_copy(update={"when": without_literals(written.when)})})

    return [bare(path) for path in paths]


def without_page_literals(page: Page) -> Page:
    """A page in whose filters every literal reads …."""
    exhibits = [item.model_copy(update={"where": without_literals(item.where)}) if item.where else item for item in page.exhibits]
    return page.model_copy(update={"exhibits": exhibits})


def without_model_literals(model: Model) -> Model:
    """A model in whose filters and expressions every literal reads …."""
    return from_document(Model, _bare(model.model_dump(mode="json", by_alias=True, exclude_none=True)))


def _bare(part: Any) -> Any:
    if isinstance(part, dict):
        if "of" in part and "values" in part:
            return {"of": part["of"], "values": {}}
        return {
            key: without_literals(value) if key in ("base_filter", "expression") and isinstance(value, str) else _bare(value) for key, value in part.items()
        }
    return [_bare(item) for item in part] if isinstance(part, list) else part


def own_values(account: Account, model: str, table: str, column: str, search: str) -> ValuesAnswer:
    """The values of a column that the account's own roles show clear, in rows it may list itself; none where they show nothing."""
    base = evaluator("live")
    kind = base.models[model].schema.columns[table, column].type if model in base.models and (table, column) in base.models[model].schema.columns else "text"
    nothing = ValuesAnswer(type=kind, distinct=0, blank=0, values=[])
    if account.login not in base.people.users:
        return nothing
    question = Question(rows=RowsQuestion(model=model, table=table, columns=[f"{table}.{column}"], limit=MOST_ROWS))
    found = base.answer(base.viewer(account.login), question)
    if not isinstance(found, RowsAnswer):
        return nothing
    clear = [row[0] for row, states in zip(found.rows, found.states, strict=True) if states[0] == "clear"]
    counts = Counter(value for value in clear if value is not None)
    shown = [ValueCount(value=value, rows=rows) for value, rows in counts.most_common() if search.casefold() in str(value).casefold()]
    return ValuesAnswer(type=kind, distinct=len(counts), blank=sum(value is None for value in clear), values=shown[:MOST_VALUES])
