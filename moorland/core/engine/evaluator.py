"""The one path for every answer: a bundle, its data and a day; viewers and questions go in, answers come out."""

import copy
import datetime
from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping
from dataclasses import replace
from functools import cached_property
from typing import assert_never

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.model import Model
from moorland.core.bundle.pages import Page
from moorland.core.bundle.people import ViewerReference
from moorland.core.bundle.policy import Role
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.collector import collector_paused
from moorland.core.engine.by_viewer import (
    ChoosingLoader,
    Content,
    Overlaid,
    attributes_choosing,
    content_of,
    merged,
    missing_table,
    missing_tables,
    refuse_unchosen,
    under_missing,
)
from moorland.core.engine.changes import Tried, answered, try_change
from moorland.core.engine.changes_in_place import try_change_in_place
from moorland.core.engine.columns import TableData, empty_table
from moorland.core.engine.compiled_model import compile_model, data_located, joined, tables_read_anew
from moorland.core.engine.distinct_views import Alike, DistinctViews, Told
from moorland.core.engine.in_place import StandingData, TooManyStrata, not_available, standing
from moorland.core.engine.listing import ListedRows, listed_rows, rows_answer
from moorland.core.engine.listing_in_place import listed_in_place
from moorland.core.engine.members import answer_members
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.objects import objects_answer
from moorland.core.engine.opening import OnPage, Opening, PageFacts, answer_pages, facts_of
from moorland.core.engine.pushdown import Statement, statements
from moorland.core.engine.questions import (
    Answer,
    ChangeQuestion,
    MembersQuestion,
    ObjectsQuestion,
    PagesQuestion,
    Question,
    Refusal,
    Refused,
    RowsQuestion,
    TotalsQuestion,
    not_found,
)
from moorland.core.engine.roles import CompiledRole, compile_role
from moorland.core.engine.totals import answer_totals
from moorland.core.engine.unanswered import LeftInPlace, SourceFailed
from moorland.core.engine.visible import Unseen, ViewerModel
from moorland.core.language.checking import check_condition
from moorland.core.language.dialects import Dialect
from moorland.core.language.errors import ConditionError
from moorland.core.language.sql_parts import NotInSql
from moorland.core.people import HeldRole, People, Viewer
from moorland.core.price import TooCostly, step
from moorland.core.today import today_in

#: Loads a table of a model: (model, table) to its data.
TableLoader = Callable[[Model, str], TableData]

ALL_DATA = "all data"
#: So many contents that depend on who asks are kept with an evaluator; those used last.
MOST_CONTENTS = 64


class Evaluator:
    """Answers questions for viewers of one bundle on one day.

    `load` gives the data of a table; `shared` keeps joined data between evaluators of the same models, day and content.
    Raises BundleError where a condition, measure or role of the bundle cannot be used.
    """

    def __init__(
        self,
        bundle: Bundle,
        load: TableLoader | None = None,
        as_of: datetime.date | None = None,
        secret: bytes = b"moorland",
        shared: dict[object, ModelData] | None = None,
    ) -> None:
        self.bundle, self._load, self.secret = bundle, load, secret
        #: Stands for this evaluator where answers are kept under it: it never changes, so neither do they.
        self.stamp = object()
        self.as_of = as_of or today_in(bundle.time_zone)
        self.people = People(bundle)
        self.shared = shared if shared is not None else {}
        #: The data of models that stands for tables left in place (engine.through_strata).
        self.standing: dict[str, StandingData] = {}
        #: The attributes by which sources are chosen for whoever asks, by model, and the values this evaluator's content is chosen by (engine.by_viewer).
        self.choosing: dict[str, tuple[str, ...]] = attributes_choosing(bundle) if isinstance(load, ChoosingLoader) else {}
        self.content: Content = tuple((name, None) for name in sorted({name for names in self.choosing.values() for name in names}))
        #: What stands for the tables left in place of another content, where it is worked out on strata (engine.through_strata).
        self.standing_of: Callable[[Evaluator], dict[str, StandingData]] | None = None
        self._by_content: OrderedDict[Content, Evaluator] = OrderedDict()
        self._viewers: dict[str, Viewer] = {}
        problems: list[Problem] = []
        self.models = {model.name: compile_model(model, bundle.roles, f"models[{index}]", problems) for index, model in enumerate(bundle.models)}
        #: The roles as written, and as they are under this content.
        self._written: dict[str, CompiledRole] = {}
        self.roles: dict[str, CompiledRole] = {}
        for index, role in enumerate(bundle.roles):
            self._compile_role(role, f"roles[{index}]", problems)
        if problems:
            raise BundleError(problems)

    def _compile_role(self, role: Role, place: str, problems: list[Problem]) -> None:
        model = self.models.get(role.model) if role.model else None
        compiled, wrong = compile_role(role, model, self.people.definitions)
        problems += [problem.at(f"{place}.{problem.path}") for problem in wrong]
        for index, assignment in enumerate(role.assigned):
            if assignment.when is not None:
                try:
                    check_condition(assignment.when, self.people.assignment_scope)
                except ConditionError as error:
                    problems.append(error.problem(f"{place}.assigned[{index}].when"))
        if compiled is not None:
            self._written[role.name] = compiled
            self.roles[role.name] = self._under_content(compiled)

    def _under_content(self, role: CompiledRole) -> CompiledRole:
        """A role as it is where some tables have no rows, because their source is not chosen."""
        model = self.models.get(role.role.model) if role.role.model else None
        return role if model is None else under_missing(role, model, missing_tables(self.bundle, model.schema.model, self.content))

    def of(self, viewer: Viewer, model: str) -> "Evaluator":
        """The evaluator with the viewer's content of a model: itself, unless a source depends on who asks (sources.md 17.2).

        All data is that of the content it is asked of. Nothing of another content is ever beside a viewer's: what compares asks this first.
        """
        choosing = self.choosing.get(model)
        if not choosing or viewer.everything:
            return self
        values = content_of(self.bundle, choosing, viewer)
        wanted = merged(self.content, values)
        return self if wanted == self.content else self._with_content_of(wanted)

    def _with_content_of(self, wanted: Content) -> "Evaluator":
        if wanted in self._by_content:
            return self._by_content[wanted]
        made = copy.copy(self)
        made.content, made.stamp, made.standing = wanted, object(), {}
        made.__dict__.pop("_tables", None)
        made.roles = {name: made._under_content(role) for name, role in self._written.items()}
        if self.standing_of is not None:
            made.standing = self.standing_of(made)
        self._by_content[wanted] = made
        while len(self._by_content) > MOST_CONTENTS:
            self._by_content.popitem(last=False)
        return made

    def forget_contents(self) -> None:
        """Makes those of other contents anew, when they are asked for."""
        self._by_content = OrderedDict()

    def is_known(self, viewer: Viewer, model: str) -> bool:
        """Whether what a viewer sees of a model can be known now: the source that is chosen for them answers (sources.md 17.2)."""
        if model not in self.choosing or viewer.everything:
            return True
        try:
            self.of(viewer, model).data(model)
        except SourceFailed:
            return False
        return True

    def by_content(self, viewers: Iterable[Viewer], model: str) -> "list[tuple[Evaluator, list[Viewer]]]":
        """Viewers by the content of a model they see, each with its evaluator; in the order of the first of each."""
        found: dict[int, tuple[Evaluator, list[Viewer]]] = {}
        for viewer in viewers:
            on = self.of(viewer, model)
            found.setdefault(id(on), (on, []))[1].append(viewer)
        return list(found.values())

    def on(self, bundle: Bundle, same_rows: bool = False) -> "Evaluator":
        """The same day and secret with another bundle, on what tables hold now. Raises BundleError where it cannot be used.

        With `same_rows`, tables that were read are taken over as they are.
        """
        made = Evaluator(bundle, self._load, self.as_of, self.secret, self.shared)
        made.people.beside(self.people)
        made.standing_of = self.standing_of
        wanted = merged(made.content, dict(self.content))
        made = made if wanted == made.content else made._with_content_of(wanted)
        if same_rows and made.content == self.content and bundle.sources == self.bundle.sources:
            made._tables.update({key: data for key, data in self._tables.items() if bundle.model(key[0]) == self.bundle.model(key[0])})
        made.standing = {name: data for name, data in self.standing.items() if bundle.model(name) == self.bundle.model(name)}
        return made

    def reloaded(self, load: TableLoader) -> "Evaluator":
        """The same bundle with tables loaded anew: what sources hold now."""
        made = copy.copy(self)
        made._load, made.stamp, made._by_content = load, object(), OrderedDict()
        made.__dict__.pop("_tables", None)
        return made

    def with_content(self, other: Callable[[Model, str], TableData | None]) -> "Evaluator":
        """The same bundle with another content of some tables; what is joined of it is not kept with the rest."""
        made = self.reloaded(Overlaid(other, self))
        made.shared = {}
        return made

    def table_by(self, model: Model, name: str, values: Mapping[str, str]) -> TableData:
        """The data of a table by the values that choose its source."""
        wanted = merged(self.content, values)
        return (self if wanted == self.content else self._with_content_of(wanted)).table(model, name)

    def with_role(self, role: Role) -> "Evaluator":
        """The same with other sentences of one role: everything but that role is taken over. Raises BundleError where it cannot be used.

        Where that changes which tables people are looked up in (3.9), or to whom the role is assigned, it is made anew.
        """
        place = next(number for number, item in enumerate(self.bundle.roles) if item.name == role.name)
        old = self.bundle.roles[place]
        bundle = self.bundle.model_copy(update={"roles": [role if item.name == role.name else item for item in self.bundle.roles]})
        if role.assigned != old.assigned or role.kind != old.kind or role.model != old.model or _looked_up_in(role) != _looked_up_in(old):
            return self.on(bundle, same_rows=True)
        made = copy.copy(self)
        made.bundle, made.stamp, made.roles = bundle, object(), dict(self.roles)
        made._written, made._by_content = dict(self._written), OrderedDict()
        for kept in ("views", "viewer_reads", "read_anew"):
            made.__dict__.pop(kept, None)
        problems: list[Problem] = []
        made._compile_role(role, f"roles[{place}]", problems)
        if problems:
            raise BundleError(problems)
        return made

    @cached_property
    def read_anew(self) -> tuple[tuple[str, str], ...]:
        """The tables left in place, each with its model, by which sentences look people up, or that conditions read whole: what is taken away there is taken away at once (sources.md 18.1)."""
        return tables_read_anew(self.models, self._written.values())

    def viewer(self, reference: ViewerReference) -> Viewer:
        """The viewer a reference names. Raises BundleError for somebody unknown."""
        return self.people.viewer(reference, self.as_of)

    def all_data(self) -> Viewer:
        """What an administrator compares with: every row and object, through one grant role without sentences."""
        viewer = Viewer(None, ALL_DATA, None, True, None, (), (), {}, {}, everything=True)
        viewer.held = {ALL_DATA: HeldRole(ALL_DATA, ())}
        return viewer

    def held_roles(self, viewer: Viewer, model: str | None = None) -> list[CompiledRole]:
        """The compiled roles a viewer holds, all or on one model."""
        if viewer.everything:
            return [self._everything_role(name) for name in self.models if model in (None, name)]
        roles = self.roles if model is None else self.of(viewer, model).roles
        return [roles[name] for name in viewer.held if model is None or roles[name].role.model == model]

    def _everything_role(self, model: str) -> CompiledRole:
        role = Role(name=ALL_DATA, kind="grant", model=model)
        made, _ = compile_role(role, replace(self.models[model], entitling=frozenset()), {})
        assert made is not None
        return made

    def data(self, model: str) -> ModelData:
        """The joined data of a model on the evaluation's day, loaded once; on strata where it is worked out through them (engine.through_strata)."""
        if model in self.standing:
            return self.standing[model]
        compiled = self.models[model]
        schema = compiled.schema
        tables = {table.name: self.table(schema.model, table.name) for table in schema.model.tables if table.alias_of is None}
        key = (schema.written, tuple(table.version for table in tables.values()), self.as_of, self._chosen_by(model))
        if key not in self.shared:
            for old in [old for old in self.shared if isinstance(old, tuple) and (old[0], old[-1]) == (key[0], key[-1]) and old[1] != key[1]]:
                del self.shared[old]
            self.shared[key] = joined(compiled, tables, self.as_of)
        return self.shared[key]

    def _chosen_by(self, model: str) -> Content:
        """The values that the content of one model is chosen by."""
        return tuple(item for item in self.content if item[0] in self.choosing.get(model, ()))

    @cached_property
    def _tables(self) -> dict[tuple[str, str], TableData]:
        return {}

    def table(self, model: Model, name: str) -> TableData:
        key = (model.name, name)
        if key not in self._tables:
            try:
                self._tables[key] = self._loaded(model, name)
            except BundleError as error:
                raise BundleError(data_located(error.problems, self.bundle, model.name, name)) from None
        return self._tables[key]

    def _loaded(self, model: Model, name: str) -> TableData:
        table = next(table for table in model.tables if table.name == name)
        if self._load is None:
            return empty_table((column.name, column.type) for column in table.columns if not column.derived)
        missing = missing_tables(self.bundle, model, self.content).get(name)
        if missing:
            return missing_table(model, name, missing)
        if self.choosing and isinstance(self._load, ChoosingLoader):
            return self._load.chosen(model, name, {attribute: value for attribute, value in self.content if value is not None})
        return self._load(model, name)

    def viewer_model(self, viewer: Viewer, model: str) -> ViewerModel:
        """A model as a viewer's roles open it. Raises Refused: not found, or no access for a disabled user."""
        if not viewer.enabled:
            raise Refused("no_access", "This account is disabled.")
        if model not in self.models:
            raise not_found(model)
        held = self.held_roles(viewer, model)
        if not any(role.role.kind == "grant" for role in held):
            raise not_found(model)
        return ViewerModel(viewer, held, self.of(viewer, model).data(model))

    def whole_model(self, model: str, viewer: Viewer) -> ViewerModel:
        """All data of a model, with the values of a viewer where a filter reads them."""
        return ViewerModel(viewer, [self._everything_role(model)], self.of(viewer, model).data(model))

    def may_open(self, viewer: Viewer, page: str) -> bool:
        """Whether the viewer may open the page (10.2)."""
        found = next((item for item in self.bundle.pages if item.name == page), None)
        return found is not None and self.may(viewer, "open", found)

    def may(self, viewer: Viewer, action: OnPage, page: Page, own: bool = False) -> bool:
        """Whether the viewer may do something on a page, of the bundle or not; with `own` it is a page they made (10.2, 10.4)."""
        if not viewer.enabled:
            return False
        opening = self.opening(viewer)
        return viewer.everything or (opening.allowed_own(action, facts_of(page)) if own else opening.allowed(action, facts_of(page)))

    def may_create(self, viewer: Viewer, shelf: str) -> bool:
        """Whether the viewer may make pages of their own on a shelf of the bundle (10.4)."""
        there = any(item.name == shelf for item in self.bundle.shelves)
        return there and viewer.enabled and self.opening(viewer).allowed_own("create", PageFacts(None, shelf))

    def opening(self, viewer: Viewer) -> Opening:
        """The pages sentences of the roles a viewer holds."""
        return Opening(tuple(self.held_roles(viewer)), viewer, self.as_of)

    def answer(self, viewer: Viewer, question: Question) -> Answer:
        """The answer to one question; a refusal is an answer, never an exception."""
        try:
            step()
            return self._answer(viewer, question)
        except TooCostly as costly:
            return Refused("too_costly", costly.message).answer()
        except (Refused, SourceFailed, LeftInPlace) as refused:
            return self._refusal(refused)

    def _refusal(self, refused: Refused | SourceFailed | LeftInPlace) -> Refusal:
        """A refusal as an answer. What is missing of the strata is no answer, but is fetched (engine.through_strata)."""
        if self.standing and isinstance(refused, LeftInPlace | TooManyStrata):
            raise refused
        return refused.answer() if isinstance(refused, Refused) else not_available(refused).answer()

    def _answer(self, viewer: Viewer, question: Question) -> Answer:
        asked = question.asked
        if isinstance(asked, PagesQuestion):
            if not viewer.enabled:
                raise Refused("no_access", "This account is disabled.")
            return answer_pages(self.bundle.pages, self.bundle.shelves, self.opening(viewer))
        model = self.viewer_model(viewer, asked.model)
        if viewer.everything and model.data.missing:
            refuse_unchosen(model.data, self.models[asked.model].measures, asked)
        match asked:
            case RowsQuestion():
                return rows_answer(self._listed(model, asked))
            case TotalsQuestion():
                return standing(model, lambda on: answer_totals(on, asked, self.models[asked.model].measures, self.people.definitions, self.secret))
            case MembersQuestion():
                return standing(model, lambda on: answer_members(on, asked, self.secret))
            case ChangeQuestion():
                return answered(self._tried(model, asked).trial)
            case ObjectsQuestion():
                return objects_answer(model.objects)
            case _:
                assert_never(asked)

    def _listed(self, model: ViewerModel, question: RowsQuestion, export: bool = False) -> ListedRows:
        """The rows that answer a question, of a table here or left in place."""
        if isinstance(model.data, StandingData):
            model = model.on(model.data.whole_base)
        listed = listed_in_place if question.table in model.data.left else listed_rows
        if not model.data.left or question.table in model.data.left:
            return listed(model, question, self.people.definitions, self.secret, export)
        return standing(model, lambda on: listed_rows(on, question, self.people.definitions, self.secret, export).read())

    def _tried(self, model: ViewerModel, question: ChangeQuestion) -> Tried:
        """A change tried, of a table here or left in place."""
        if isinstance(model.data, StandingData):
            model = model.on(model.data.whole_base)
        attempt = try_change_in_place if question.table in model.data.left else try_change
        return attempt(model, question, self.people.definitions)

    def tried_change(self, viewer: Viewer, question: ChangeQuestion) -> Tried:
        """A change tried for a viewer, with the rows meant (9.2). Raises Refused, SourceFailed, LeftInPlace."""
        return self._tried(self.viewer_model(viewer, question.model), question)

    def listed(self, viewer: Viewer, question: RowsQuestion, export: bool = False) -> ListedRows | Refusal:
        """The rows that answer a question, before they are written out, for answers of many rows; with `export`, of those that may be exported (5.7)."""
        try:
            step()
            return self._listed(self.viewer_model(viewer, question.model), question, export)
        except TooCostly as costly:
            return Refused("too_costly", costly.message).answer()
        except (Refused, SourceFailed, LeftInPlace) as refused:
            return self._refusal(refused)

    def exported_rows(self, viewer: Viewer, question: RowsQuestion) -> Answer:
        """The rows of a question that the viewer may export (5.7); none where no role held lets them be exported."""
        try:
            return rows_answer(self._listed(self.viewer_model(viewer, question.model), question, export=True))
        except (Refused, SourceFailed, LeftInPlace) as refused:
            return self._refusal(refused)

    def sql(self, viewer: Viewer, question: Question, dialect: Dialect) -> list[Statement]:
        """The SQL that answers a question about rows or totals for a viewer. Raises Refused, or NotInSql where SQL cannot answer it yet."""
        asked = question.asked
        if not isinstance(asked, RowsQuestion | TotalsQuestion):
            raise NotInSql("only questions about rows and totals are answered in SQL")
        model = self.viewer_model(viewer, asked.model)
        return statements(model, asked, self.models[asked.model].measures, self.people.definitions, dialect)

    def unseen(self, viewers: Iterable[Viewer], question: TotalsQuestion) -> Answer:
        """The totals of what none of the viewers sees: an administrator's comparison with all data."""
        try:
            parts = self.by_content(viewers, question.model)
            if len(parts) > 1:
                raise Refused("invalid", "These viewers read different databases: what none of them sees is not one set of rows.")
            on, asked = parts[0] if parts else (self, [])
            whole = on.viewer_model(on.all_data(), question.model)
            seen = [model for viewer in asked if (model := on._model_or_none(viewer, question.model))]
            measures = self.models[question.model].measures
            return standing(Unseen(whole, seen), lambda on: answer_totals(on, question, measures, self.people.definitions, self.secret))
        except (Refused, SourceFailed, LeftInPlace) as refused:
            return self._refusal(refused)

    def _model_or_none(self, viewer: Viewer, model: str) -> ViewerModel | None:
        try:
            return self.viewer_model(viewer, model)
        except Refused:
            return None

    def everyone(self) -> Iterator[Viewer]:
        """All users, in login order; worked out once."""
        return iter(self._everyone)

    @cached_property
    def _everyone(self) -> tuple[Viewer, ...]:
        with collector_paused():
            return tuple(map(self.person, self.people.crowd.logins))

    def person(self, login: str) -> Viewer:
        """A person as a viewer, made once; not to be changed."""
        if login not in self._viewers:
            self._viewers[login] = self.viewer(login)
        return self._viewers[login]

    def view_of(self, viewer: Viewer) -> Hashable:
        """What of a viewer any answer can depend on, equal for those who see the same: the roles held and the values their conditions read."""
        names = sorted(frozenset[str]().union(*(self.viewer_reads[role] for role in viewer.held)))
        return tuple(viewer.held), tuple((name, viewer.values(name)) for name in names)

    @cached_property
    def viewer_reads(self) -> dict[str, frozenset[str]]:
        """The names of `viewer.` on which what a role opens depends, by role: those its sentences read, and those that choose the sources of its model."""
        return {name: role.viewer_reads.union(self.choosing.get(role.role.model or "", ())) for name, role in self._written.items()}

    @cached_property
    def views(self) -> DistinctViews:
        """Who sees the same, of all people; worked out once."""
        return self.views_by(None)

    def views_by(self, told: Told | None) -> DistinctViews:
        """Who sees the same and is alike in what else is told."""
        if told == Told():
            return self.views
        return DistinctViews(self.people, self.as_of, self.viewer_reads, self.person, self.view_of, told)

    @property
    def alike(self) -> tuple[Alike, ...]:
        """All enabled users, those who see the same together; worked out once."""
        return self.views.alike


def _looked_up_in(role: Role) -> set[str]:
    return {sentence.entitlement.through for _, sentence in role.acting if sentence.entitlement}
