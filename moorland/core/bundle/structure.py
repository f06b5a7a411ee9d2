"""Names, references and cycles of a bundle: everything that can be checked without reading a condition."""

import unicodedata
from collections.abc import Iterable, Iterator, Sequence

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.model import Column, Hierarchy, Measure, Model, Table
from moorland.core.bundle.people import AttributeDefinition, AttributeValue, OrganizationValue
from moorland.core.bundle.policy import Role, Sentence
from moorland.core.bundle.problems import Problem, nearest_name
from moorland.core.bundle.schema import Schema, build_schema
from moorland.core.bundle.sources import SETTING_VALUE
from moorland.core.bundle.values import typed_value

#: Names of `viewer.` that are not attributes (4.4), with one value and with many; attributes must not take them (12.9).
VIEWER_SINGLE = ("login", "name", "email", "mail_domain", "organization")
VIEWER_MANY = ("organizations", "branch", "groups", "roles")
RESERVED_VIEWER_NAMES = (*VIEWER_SINGLE, *VIEWER_MANY)


def identity(text: str) -> str:
    """The form in which identities are compared: without letter case and surrounding spaces (2.1, 4.5)."""
    return text.strip(" ").casefold()


def invisible(text: str) -> str | None:
    """A sign of a text that nobody can see, in words: controls, marks of no width, spaces other than the plain one; None where there is none."""
    for sign in text:
        if unicodedata.category(sign) in ("Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp") or (unicodedata.category(sign) == "Zs" and sign != " "):
            return f"the sign U+{ord(sign):04X}"
    return None


def check_structure(bundle: Bundle) -> list[Problem]:
    """Every problem of names, references and cycles, with its path."""
    return [
        *_check_names(bundle),
        *_check_organizations(bundle),
        *_check_people(bundle),
        *(problem for index, model in enumerate(bundle.models) for problem in _check_model(model, f"models[{index}]")),
        *(problem for index, role in enumerate(bundle.roles) for problem in check_role(bundle, role, f"roles[{index}]")),
        *_check_pages(bundle),
        *_check_settings(bundle),
        *_check_placements(bundle),
    ]


def _twice(names: Iterable[str | None], place: str, what: str, fold: bool = False) -> Iterator[Problem]:
    told = list(names)
    keys = [identity(name) if name is not None else None for name in told] if fold else told
    present = [key for key in keys if key is not None]
    if len(set(present)) == len(present):
        return
    seen: set[str] = set()
    for index, (name, key) in enumerate(zip(told, keys, strict=True)):
        if key is None:
            continue
        if key in seen:
            yield Problem("duplicate", f"{what} {name} stands twice.", path=f"{place}[{index}]")
        seen.add(key)


def _unknown(name: str, names: Sequence[str] | Iterable[str], path: str, what: str) -> Iterator[Problem]:
    known = names if isinstance(names, dict) else set(names)
    if name not in known:
        yield Problem("unknown_name", f"there is no {what} {name}.", path=path, nearest=nearest_name(name, known))


def _check_names(bundle: Bundle) -> Iterator[Problem]:
    yield from _twice((item.name for item in bundle.organizations), "organizations", "the organization")
    yield from _twice((item.name for item in bundle.attributes), "attributes", "the attribute")
    yield from _twice((item.name for item in bundle.groups), "groups", "the group", fold=True)
    yield from _twice((item.login for item in bundle.users), "users", "the login", fold=True)
    yield from _twice((item.email for item in bundle.users), "users", "the e-mail address", fold=True)
    yield from _twice((item.name for item in bundle.sources), "sources", "the source")
    yield from _twice((item.name for item in bundle.models), "models", "the model")
    yield from _twice((item.name for item in bundle.roles), "roles", "the role")
    yield from _twice((item.name for item in bundle.shelves), "shelves", "the shelf")
    yield from _twice((item.name for item in bundle.pages), "pages", "the page")
    for index, attribute in enumerate(bundle.attributes):
        if attribute.name in RESERVED_VIEWER_NAMES:
            yield Problem("reserved", f"viewer.{attribute.name} is reserved; give the attribute another name.", path=f"attributes[{index}].name")


def _check_settings(bundle: Bundle) -> Iterator[Problem]:
    """Settings that depend on who asks read attributes that only administrators set, one value of a list at a time (sources.md 17.2)."""
    definitions = {attribute.name: attribute for attribute in bundle.attributes}
    for index, source in enumerate(bundle.sources):
        for name in source.attributes:
            definition, place = definitions.get(name), f"sources[{index}]"
            if definition is None:
                yield from _unknown(name, definitions, place, "attribute")
            elif definition.multiple or definition.editable_by != "administrator" or definition.allowed is None or definition.type not in ("text", "integer"):
                message = f"viewer.{name} cannot choose a database: that takes an attribute of one value, from a list, that only administrators set."
                yield Problem("setting", message, path=place)
            elif definition.shown_to == "nobody":
                yield Problem("setting", f"viewer.{name} is shown to nobody: it cannot choose a database, whose name tells it.", path=place)
            elif wrong := [value for value in definition.allowed if not SETTING_VALUE.fullmatch(str(value))]:
                yield Problem("setting", f"viewer.{name} may be {wrong[0]}, which cannot stand in a setting: letters, digits, - and _ can.", path=place)


def _check_placements(bundle: Bundle) -> Iterator[Problem]:
    sources = dict.fromkeys(source.name for source in bundle.sources)
    for index, model in enumerate(bundle.models):
        for position, table in enumerate(model.tables):
            if table.in_place is not None:
                place = f"models[{index}].tables[{position}].in_place"
                yield from _unknown(table.in_place.source, sources, f"{place}.source", "source")
                if table.data is not None or table.alias_of is not None:
                    what = "another name of a table" if table.alias_of is not None else "a table with data of its own"
                    yield Problem("in_place", f"{table.name} is {what}; it cannot be left in place as well.", path=place)


def _cycle(edges: dict[str, list[str]]) -> list[str] | None:
    """A path that leads back to its start, if there is one."""
    done: set[str] = set()
    for start in edges:
        path: list[str] = []
        stack: list[tuple[str, Iterator[str]]] = []
        if start not in done:
            stack, path = [(start, iter(edges[start]))], [start]
        while stack:
            following = next((name for name in stack[-1][1] if name in edges), None)
            if following is None:
                done.add(stack.pop()[0])
                path.pop()
            elif following in path:
                return [*path[path.index(following) :], following]
            elif following not in done:
                stack.append((following, iter(edges[following])))
                path.append(following)
    return None


def _check_organizations(bundle: Bundle) -> Iterator[Problem]:
    names = [organization.name for organization in bundle.organizations]
    roots = [organization.name for organization in bundle.organizations if organization.parent is None]
    for index, organization in enumerate(bundle.organizations):
        if organization.parent is not None:
            yield from _unknown(organization.parent, names, f"organizations[{index}].parent", "organization")
    if len(roots) > 1:
        yield Problem("two_roots", f"organizations form a tree under one root, but {' and '.join(roots)} have no parent.", path="organizations")
    cycle = _cycle({item.name: [item.parent] if item.parent else [] for item in bundle.organizations})
    if cycle:
        yield Problem("cycle", f"the organizations form a cycle: {' → '.join(cycle)}.", path="organizations")


def _check_people(bundle: Bundle) -> Iterator[Problem]:
    logins = dict.fromkeys(user.login for user in bundle.users)
    groups = dict.fromkeys(group.name for group in bundle.groups)
    organizations = dict.fromkeys(organization.name for organization in bundle.organizations)
    definitions = {attribute.name: attribute for attribute in bundle.attributes}
    for index, definition in enumerate(bundle.attributes):
        yield from _check_value(definition, definition.default, f"attributes[{index}].default")
    for index, group in enumerate(bundle.groups):
        for position in (position for position, login in enumerate(group.users) if login not in logins):
            yield from _unknown(group.users[position], logins, f"groups[{index}].users[{position}]", "user")
        for position, name in enumerate(group.groups):
            yield from _unknown(name, groups, f"groups[{index}].groups[{position}]", "group")
        yield from _check_values(definitions, group.attributes, f"groups[{index}].attributes")
    for index, user in enumerate(bundle.users):
        if user.organization is not None and user.organization not in organizations:
            yield from _unknown(user.organization, organizations, f"users[{index}].organization", "organization")
        if user.attributes:
            yield from _check_values(definitions, user.attributes, f"users[{index}].attributes")
    for index, organization in enumerate(bundle.organizations):
        plain = {name: value.value if isinstance(value, OrganizationValue) else value for name, value in organization.attributes.items()}
        yield from _check_values(definitions, plain, f"organizations[{index}].attributes")
    for index, duty in enumerate(bundle.duties):
        if duty.user is not None:
            yield from _unknown(duty.user, logins, f"duties[{index}].user", "user")
        if duty.group is not None:
            yield from _unknown(duty.group, groups, f"duties[{index}].group", "group")
    cycle = _cycle({group.name: list(group.groups) for group in bundle.groups})
    if cycle:
        yield Problem("cycle", f"the groups form a cycle: {' → '.join(cycle)}.", path="groups")


def _check_values(definitions: dict[str, AttributeDefinition], values: dict[str, AttributeValue], path: str) -> Iterator[Problem]:
    for name, value in values.items():
        if name not in definitions:
            yield from _unknown(name, definitions, f"{path}.{name}", "attribute")
        else:
            yield from _check_value(definitions[name], value, f"{path}.{name}")


def _check_value(definition: AttributeDefinition, value: AttributeValue, path: str) -> Iterator[Problem]:
    if value is None:
        return
    if isinstance(value, list) != definition.multiple:
        expected = "a list of values" if definition.multiple else "a single value"
        yield Problem("type", f"{definition.name} takes {expected}.", path=path)
        return
    for item in value if isinstance(value, list) else [value]:
        try:
            typed_value(item, definition.type)
        except ValueError as error:
            yield Problem("type", f"{error}.", path=path)
        if definition.allowed is not None and item not in definition.allowed:
            yield Problem(
                "not_allowed",
                f"{item!r} is not among the allowed values of {definition.name}.",
                path=path,
                nearest=nearest_name(str(item), map(str, definition.allowed)),
            )


def _check_model(model: Model, place: str) -> Iterator[Problem]:
    yield from _twice((table.name for table in model.tables), f"{place}.tables", "the table")
    yield from _twice((measure.name for measure in model.measures), f"{place}.measures", "the measure")
    yield from _twice((hierarchy.name for hierarchy in model.hierarchies), f"{place}.hierarchies", "the hierarchy")
    yield from _twice((cube.name for cube in model.cubes), f"{place}.cubes", "the cube")
    tables = [table.name for table in model.tables]
    for index, table in enumerate(model.tables):
        at = f"{place}.tables[{index}]"
        names = [column.name for column in table.columns]
        yield from _twice(names, f"{at}.columns", "the column")
        if "." in table.name:
            yield Problem("name", "a table's name has no dot in it.", path=f"{at}.name")
        if table.key is not None and table.alias_of is None:
            yield from _unknown(table.key, names, f"{at}.key", "column")
        if table.name in ("viewer", "page", "measure"):
            yield Problem("reserved", f"{table.name} is a reserved qualifier; give the table another name.", path=f"{at}.name")
    schema = build_schema(model)
    for problem in schema.problems:
        yield problem.at(f"{place}.{problem.path}")
    for index, measure in enumerate(model.measures):
        yield from _unknown(measure.table, tables, f"{place}.measures[{index}].table", "table")
    for index, hierarchy in enumerate(model.hierarchies):
        at = f"{place}.hierarchies[{index}]"
        yield from _unknown(hierarchy.table, tables, f"{at}.table", "table")
        if (hierarchy.levels is None) == (hierarchy.key is None or hierarchy.parent is None):
            yield Problem("shape", "a hierarchy has either levels, or a key and its parent.", path=at)
        table_shape = schema.tables.get(hierarchy.table)
        for column in hierarchy.columns if table_shape else []:
            assert table_shape is not None
            yield from _unknown(column, [item.name for item in table_shape.columns], at, "column")
        if table_shape and hierarchy.key is not None and hierarchy.parent is not None:
            yield from _check_parents(schema, hierarchy, at)
    for index, cube in enumerate(model.cubes):
        at = f"{place}.cubes[{index}]"
        for name in [*cube.facts, *(dimension.table for dimension in cube.dimensions)]:
            yield from _unknown(name, tables, at, "table")
        for name in cube.measures:
            yield from _unknown(name, schema.measures, f"{at}.measures", "measure")
        for name in (item for dimension in cube.dimensions for item in dimension.hierarchies):
            yield from _unknown(name, [item.name for item in model.hierarchies], f"{at}.dimensions", "hierarchy")


def _check_parents(schema: Schema, hierarchy: Hierarchy, at: str) -> Iterator[Problem]:
    if schema.tables[hierarchy.table].key != hierarchy.key:
        yield Problem("not_a_key", f"{hierarchy.key} is not the key of {hierarchy.table}.", path=f"{at}.key")
    ends = [schema.columns.get((hierarchy.table, name)) for name in (hierarchy.key or "", hierarchy.parent or "")]
    if ends[0] and ends[1] and ends[0].type != ends[1].type:
        yield Problem("type", f"{hierarchy.parent} is {ends[1].type}, but {hierarchy.key} is {ends[0].type}.", path=f"{at}.parent")


def check_role(bundle: Bundle, role: Role, place: str) -> Iterator[Problem]:
    """Every problem of the names a role refers to; `place` is its path in the bundle."""
    if role.model is not None:
        yield from _unknown(role.model, [model.name for model in bundle.models], f"{place}.model", "model")
    model = bundle.model(role.model) if role.model else None
    for index, sentence in role.acting:
        at = f"{place}.sentences[{index}]"
        if sentence.pages:
            for position, target in enumerate(sentence.pages.on or []):
                kind, _, name = target.partition(":")
                known = bundle.pages if kind == "page" else bundle.shelves
                yield from _unknown(name, [item.name for item in known], f"{at}.pages.on[{position}]", kind)
            named = sentence.pages.on
            if "create" in sentence.pages.actions and named is not None and not any(target.startswith("shelf:") for target in named):
                yield Problem("no_shelf", "pages are made on shelves: name a shelf beside the pages.", path=f"{at}.pages.on")
        elif model is None:
            if role.model is None:
                yield Problem("no_model", "a role without a model has sentences about pages only.", path=at)
        else:
            yield from _check_sentence(model, sentence, at)
    for index, assignment in enumerate(role.assigned):
        at = f"{place}.assigned[{index}]"
        if assignment.user is not None and not any(assignment.user == user.login for user in bundle.users):
            yield from _unknown(assignment.user, [user.login for user in bundle.users], f"{at}.user", "user")
        if assignment.group is not None:
            yield from _unknown(assignment.group, [group.name for group in bundle.groups], f"{at}.group", "group")


def _check_sentence(model: Model, sentence: Sentence, at: str) -> Iterator[Problem]:
    """The names of a sentence about a model; columns, paths and types are checked where the sentence is made ready to evaluate."""
    tables = [table.name for table in model.tables]
    named: list[tuple[str, str]] = []
    if sentence.rows:
        named = [("rows.table", sentence.rows.table)]
    elif sentence.entitlement:
        named = [("entitlement.table", sentence.entitlement.table), ("entitlement.through", sentence.entitlement.through)]
    elif sentence.mask:
        named = [("mask.column", sentence.mask.column.partition(".")[0])]
    elif sentence.beneath:
        named = [(f"beneath.tables[{position}]", name) for position, name in enumerate(sentence.beneath.tables)]
    elif sentence.change:
        named = [("change.table", sentence.change.table)]
    elif sentence.members:
        yield from _unknown(sentence.members.hierarchy, [item.name for item in model.hierarchies], f"{at}.members.hierarchy", "hierarchy")
    elif sentence.objects:
        known = object_names(model)
        for key, names in (("hide", sentence.objects.hide), ("show", sentence.objects.show)):
            for position, name in enumerate(names):
                yield from _check_object(known, name, f"{at}.objects.{key}[{position}]")
    for path, name in named:
        yield from _unknown(name, tables, f"{at}.{path}", "table")


def object_names(model: Model) -> list[str]:
    """Everything an objects sentence may mention, as it is written there."""
    every_table = build_schema(model).tables.values()
    columns = [column for table in every_table for column in table.columns]
    tagged: list[Table | Column | Measure] = [*every_table, *columns, *model.measures]
    tags = {tag for item in tagged for tag in item.tags}
    folders = {item.folder for item in tagged if item.folder}
    return [
        *(f"table:{table.name}" for table in model.tables),
        *(f"column:{table.name}.{column.name}" for table in every_table for column in table.columns),
        *(f"measure:{measure.name}" for measure in model.measures),
        *(f"hierarchy:{hierarchy.name}" for hierarchy in model.hierarchies),
        *(f"cube:{cube.name}" for cube in model.cubes),
        *(f"tag:{tag}" for tag in sorted(tags)),
        *(f"folder:{folder}" for folder in sorted(folders)),
    ]


def _check_object(names: list[str], name: str, path: str) -> Iterator[Problem]:
    kind, _, rest = name.partition(":")
    if kind in ("tag", "folder"):
        return  # One that nothing carries is a finding, not an error (5.5).
    known = [item.partition(":")[2] for item in names if item.startswith(f"{kind}:")]
    yield from _unknown(rest, known, path, kind)


def _check_pages(bundle: Bundle) -> Iterator[Problem]:
    for index, page in enumerate(bundle.pages):
        yield from _unknown(page.shelf, [shelf.name for shelf in bundle.shelves], f"pages[{index}].shelf", "shelf")
        if page.model is not None:
            yield from _unknown(page.model, [model.name for model in bundle.models], f"pages[{index}].model", "model")
