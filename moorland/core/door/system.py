"""Statements about the catalogues and the session, which name no relation: computed by an engine that holds the catalogues of the viewer (channels.md 13.2, 13.6)."""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, cast

import duckdb
import pyarrow as pa
import sqlglot
from sqlglot import exp
from sqlglot.errors import SqlglotError
from sqlglot.tokenizer_core import Token, TokenType

from moorland.core.door.above import ALLOWED, LOCKED, interrupted
from moorland.core.door.catalogue import Catalogue
from moorland.core.door.column_names import spoken
from moorland.core.door.errors import BAD_PARAMETER, NO_FUNCTION, NO_TABLE, NOT_SUPPORTED, SYNTAX, SqlRefused
from moorland.core.door.expressions import bound_value, position_of
from moorland.core.door.reading import Door
from moorland.core.door.relations import folded
from moorland.core.door.system_tables import DATABASE, FUNCTION_COLUMNS, INFORMATION, SYSTEM, TYPES, columns_of, contents_of

#: What a session says of itself.
VERSION = "15.0"
SPOKEN_VERSION = f"PostgreSQL {VERSION} (Moorland)"
_DEFINITIONS = {"moorland_definitions": "oid:oid definition:text"}
_SPOKEN = " ".join(f"WHEN {item.oid} THEN '{item.spoken}' WHEN {item.array or -1} THEN '{item.spoken}[]'" for item in TYPES.values())
_TYPE_NAMES = {item.spoken: item.oid for item in TYPES.values()} | {item.name: item.oid for item in TYPES.values()}
_TRUE = ("has_table_privilege", "has_schema_privilege", "has_database_privilege", "has_column_privilege", "has_any_column_privilege", "has_type_privilege")
_VISIBLE = (
    "type",
    "function",
    "operator",
    "opclass",
    "collation",
    "conversion",
    "ts_config",
    "ts_dict",
    "ts_parser",
    "ts_template",
    "statistics_obj",
    "opfamily",
)
_NULL = (
    "pg_get_expr", "pg_get_viewdef", "pg_get_partkeydef", "pg_get_ruledef", "pg_get_triggerdef", "pg_get_function_result", "pg_get_function_arguments",
    "pg_get_functiondef", "pg_get_statisticsobjdef_columns", "pg_get_statisticsobjdef", "shobj_description", "pg_tablespace_location", "pg_get_serial_sequence",
    "inet_server_addr", "inet_client_addr", "inet_client_port", "pg_get_partition_constraintdef", "pg_get_function_identity_arguments", "pg_partition_root",
    "to_regrole", "pg_filenode_relation", "pg_indexam_has_property", "array_ndims",
)  # fmt: skip
#: Functions of sessions and catalogues; `_` stands before each where it is computed, so that none of the engine's own is taken.
_MACROS = {
    **{f"{name}(a, b := NULL, c := NULL, d := NULL)": "TRUE" for name in _TRUE},
    **{f"pg_{name}_is_visible(a)": "TRUE" for name in _VISIBLE},
    **{f"{name}(a := NULL, b := NULL, c := NULL)": "CAST(NULL AS VARCHAR)" for name in _NULL},
    "pg_table_is_visible(a)": "EXISTS (SELECT 1 FROM s.pg_class AS k WHERE k.oid = a)",
    "version()": f"'{SPOKEN_VERSION}'",
    "current_database()": f"'{DATABASE}'",
    "current_schemas(a)": "list_concat(CASE WHEN a THEN ['pg_catalog'] ELSE [] END,"
    " (SELECT coalesce(list(n.nspname ORDER BY n.oid), []) FROM s.pg_namespace AS n WHERE n.oid BETWEEN 20000 AND 99999))",
    "current_schema()": "(SELECT min(n.nspname) FROM s.pg_namespace AS n WHERE n.oid BETWEEN 20000 AND 99999)",
    "format_type(a, b)": f"CASE a {_SPOKEN} ELSE '???' END",
    "pg_get_constraintdef(a, b := NULL)": "(SELECT d.definition FROM s.moorland_definitions AS d WHERE d.oid = a)",
    "pg_get_indexdef(a, b := 0, c := NULL)": "(SELECT CASE WHEN b = 0 THEN d.definition ELSE (SELECT t.attname FROM s.pg_attribute AS t WHERE"
    " t.attrelid = a AND t.attnum = b) END FROM s.moorland_definitions AS d WHERE d.oid = a)",
    "pg_get_userbyid(a)": "(SELECT r.rolname FROM s.pg_roles AS r WHERE r.oid = a)",
    "obj_description(a, b := 'pg_class')": "(SELECT d.description FROM s.pg_description AS d WHERE d.objoid = a AND d.objsubid = 0)",
    "col_description(a, b)": "(SELECT d.description FROM s.pg_description AS d WHERE d.objoid = a AND d.objsubid = b)",
    "pg_is_in_recovery()": "FALSE",
    "pg_encoding_to_char(a)": "CASE a WHEN 6 THEN 'UTF8' ELSE '' END",
    "getdatabaseencoding()": "'UTF8'",
    "pg_char_to_encoding(a)": "CASE upper(a) WHEN 'UTF8' THEN 6 ELSE -1 END",
    "pg_relation_size(a, b := NULL)": "0::BIGINT",
    "pg_total_relation_size(a)": "0::BIGINT",
    "pg_table_size(a)": "0::BIGINT",
    "pg_indexes_size(a)": "0::BIGINT",
    "pg_database_size(a)": "0::BIGINT",
    "pg_size_pretty(a)": "a::VARCHAR || ' bytes'",
    "pg_relation_is_publishable(a)": "FALSE",
    "pg_relation_is_updatable(a, b)": "0::INTEGER",
    "pg_partition_ancestors(a)": "unnest(CAST([] AS UINTEGER[]))",
    "pg_my_temp_schema()": "0::UINTEGER",
    "pg_is_other_temp_schema(a)": "FALSE",
    "pg_advisory_unlock_all()": "CAST(NULL AS VARCHAR)",
    "pg_stat_get_numscans(a)": "0::BIGINT",
    "txid_current()": "1::BIGINT",
    "inet_server_port()": "CAST(NULL AS INTEGER)",
    "quote_ident(a)": "CASE WHEN regexp_full_match(a, '[a-z_][a-z0-9_]*') THEN a ELSE '\"' || replace(a, '\"', '\"\"') || '\"' END",
    "quote_literal(a)": "'''' || replace(a, '''', '''''') || ''''",
    "array_to_string(a, b, c := NULL)": "array_to_string(a, b)",
    "array_upper(a, b)": "CASE WHEN b = 1 AND len(a) > 0 THEN len(a)::INTEGER END",
    "array_length(a, b)": "CASE WHEN b = 1 AND len(a) > 0 THEN len(a)::INTEGER END",
    "array_lower(a, b)": "CASE WHEN b = 1 AND len(a) > 0 THEN 1 END",
    "cardinality(a)": "len(a)::INTEGER",
    "array_position(a, b)": "list_position(a, b)::INTEGER",
    "array_append(a, b)": "list_append(a, b)",
    "_pg_expandarray(a)": "unnest(list_transform(range(1, len(a) + 1), lambda i: {'x': a[i], 'n': i::INTEGER}))",
    "_pg_char_max_length(a, b)": "CAST(NULL AS INTEGER)",
    "_pg_numeric_precision(a, b)": "CAST(NULL AS INTEGER)",
    "_pg_numeric_scale(a, b)": "CAST(NULL AS INTEGER)",
    "_pg_datetime_precision(a, b)": "CAST(NULL AS INTEGER)",
    "_pg_truetypid(a, b)": "a.atttypid",
    "_pg_truetypmod(a, b)": "-1",
    "pg_typeof(a)": "lower(typeof(a))",
    "regclass_oid(a)": "coalesce(try_cast(a AS UINTEGER), (SELECT min(k.oid) FROM s.pg_class AS k JOIN s.pg_namespace AS n ON n.oid = k.relnamespace WHERE"
    " replace(a, '\"', '') IN (k.relname, n.nspname || '.' || k.relname)))",
    "regclass_name(a)": "coalesce((SELECT k.relname FROM s.pg_class AS k WHERE k.oid = a), a::VARCHAR)",
    "regtype_oid(a)": f"coalesce(try_cast(a AS UINTEGER), (SELECT min(t.oid) FROM s.pg_type AS t WHERE t.typname = a OR CASE t.oid {_SPOKEN} END = a))",  # noqa: S608
    "regtype_name(a)": f"CASE a {_SPOKEN} ELSE a::VARCHAR END",
    "regproc_name(a)": "a::VARCHAR",
    "regnamespace_oid(a)": "coalesce(try_cast(a AS UINTEGER), (SELECT n.oid FROM s.pg_namespace AS n WHERE n.nspname = a))",
    "regnamespace_name(a)": "(SELECT n.nspname FROM s.pg_namespace AS n WHERE n.oid = a)",
    "regrole_oid(a)": "coalesce(try_cast(a AS UINTEGER), (SELECT r.oid FROM s.pg_roles AS r WHERE r.rolname = a))",
    "regrole_name(a)": "(SELECT r.rolname FROM s.pg_roles AS r WHERE r.oid = a)",
}
#: Those that also stand in FROM.
_TABLES = {"pg_partition_ancestors(a)": "SELECT CAST(NULL AS UINTEGER) AS relid, CAST(NULL AS BIGINT) AS depth WHERE FALSE"}
_OF_SESSION = ("current_setting", "set_config", "pg_backend_pid", "now", "clock_timestamp")
_ALIASES = {"to_regclass": "regclass_oid", "to_regtype": "regtype_oid", "to_regnamespace": "regnamespace_oid"}
_NAMES = frozenset(signature.partition("(")[0] for signature in _MACROS)
#: Functions of the engine that are answered as they are, beside those of `above`.
_PLAIN = frozenset(
    ("unnest", "generate_series", "generate_subscripts", "array_agg", "string_agg", "now", "clock_timestamp", "md5", "starts_with", "regexp_matches", "age")
)
_NODES = (
    exp.Array, exp.ArrayAgg, exp.GroupConcat, exp.Explode, exp.Unnest, exp.GenerateSeries, exp.ExplodingGenerateSeries, exp.Lateral, exp.Any, exp.All, exp.Bracket, exp.Dot, exp.RegexpLike,
    exp.RegexpILike, exp.SimilarTo, exp.Anonymous, exp.Struct, exp.PropertyEQ, exp.Slice, exp.ArrayContainsAll, exp.ArrayOverlaps, exp.CurrentTimestamp,
    exp.ArraySize, exp.ArrayToString, exp.StrPosition, exp.MD5, exp.RegexpReplace, exp.PseudoType, exp.BitwiseAnd, exp.BitwiseOr, exp.TableFromRows, exp.CurrentDate,
    exp.ByteString, exp.Hint, exp.Operator, exp.Return, exp.ToChar,
)  # fmt: skip
#: Objects that only things which do not exist here would be told in.
_OBJECTS = frozenset(("json_build_object", "jsonb_build_object", "row_to_json", "to_json", "format"))
_REGS = ("regclass", "regtype", "regproc", "regnamespace", "regrole", "regprocedure", "regoper", "regconfig")
#: What types written in casts are called as columns.
TYPE_NAMES = {"int": "int4", "integer": "int4", "bigint": "int8", "smallint": "int2", "boolean": "bool", "double precision": "float8", "real": "float4"}
_ESCAPED = re.compile(r"\\(.)", re.DOTALL)
_ESCAPES = {"n": "\n", "t": "\t", "r": "\r", "b": "\b", "f": "\f"}
_AS_TEXT = frozenset(
    ("name", "char", "bpchar", "xid", "cid", "pg_node_tree", "aclitem", "tid", "cstring", "inet", "pg_lsn", "bytea", "json", "jsonb", "interval")
)


class _Names(Door.Parser):  # type: ignore[misc, valid-type]
    FUNCTIONS = {name: made for name, made in Door.Parser.FUNCTIONS.items() if name.lower() not in _NAMES | _OBJECTS}


class SystemDoor(Door):
    """SQL about catalogues: their functions keep the names they are written by."""

    Parser = _Names


@dataclass(frozen=True)
class Session:
    """What a statement may ask of its session: who asks, what is set, its number, and where a changed setting is told."""

    user: str
    settings: Mapping[str, str]
    number: int = 0
    change: Callable[[str, str], None] | None = None


@dataclass(frozen=True)
class SystemStatement:
    """A statement about the catalogues or the session, as it was written and as it was read; it is never changed."""

    text: str
    query: exp.Query


#: So many answers are kept, of at most so many rows.
MOST_ANSWERS, MOST_ANSWER_ROWS = 400, 5_000


class SystemCatalogue:
    """The catalogues of what exists for a viewer, in an engine of their own that has nothing else. Many may ask at once."""

    def __init__(self, catalogue: Catalogue, owner: str, settings: Mapping[str, str]) -> None:
        self._engine = duckdb.connect(":memory:")
        self._answers: dict[object, pa.Table] = {}
        tables = [
            (f"{schema}.{name}", list(columns_of(written)))
            for schema, all_ in (("s", SYSTEM | _DEFINITIONS), ("i", INFORMATION))
            for name, written in all_.items()
        ]
        made = [f"CREATE TABLE {place} ({', '.join(f'{column} {kind}' for column, kind in columns)})" for place, columns in tables]
        made += [f"CREATE MACRO _{signature} AS {body}" for signature, body in _MACROS.items()]
        made += [f"CREATE MACRO _{signature} AS TABLE {body}" for signature, body in _TABLES.items()]
        self._engine.execute("; ".join(["BEGIN", "CREATE SCHEMA s", "CREATE SCHEMA i", *made]))
        contents = contents_of(catalogue, owner, settings)
        for place, columns in tables:
            rows = contents.rows.get(place.partition(".")[2])
            if rows:
                names = [column for column, _ in columns if any(column in row for row in rows)]
                self._engine.register("moorland_rows", pa.table({column: [row.get(column) for row in rows] for column in names}))
                # Names are those of this package.
                self._engine.execute(f"INSERT INTO {place} ({', '.join(names)}) SELECT {', '.join(names)} FROM moorland_rows")  # noqa: S608
                self._engine.unregister("moorland_rows")
        self._engine.execute("; ".join(["COMMIT", *LOCKED]))

    def ask(self, statement: SystemStatement, session: Session, parameters: Mapping[int, Any], described: bool = False) -> pa.Table:
        """What a statement gives; with `described` no rows of it. Answers that do not depend on the session are kept. Raises SqlRefused."""
        key = (statement.text, tuple(sorted((number, repr(value)) for number, value in parameters.items())), described)
        kept = self._answers.get(key)
        if kept is not None:
            return kept
        written = _Written(session, parameters, described)
        found = self._computed(written.of(statement.query), described)
        if not written.of_session and len(self._answers) < MOST_ANSWERS and found.num_rows <= MOST_ANSWER_ROWS:
            self._answers[key] = found
        return found

    def _computed(self, text: str, described: bool) -> pa.Table:
        cursor = self._engine.cursor()
        try:
            with interrupted(cursor):
                relation = cursor.sql(text)
                if relation is None:
                    raise SqlRefused(NOT_SUPPORTED, "Only SELECT is answered here.")
                return (relation.limit(0) if described else relation).to_arrow_table()
        except duckdb.Error as error:
            raise SqlRefused(SYNTAX, str(error).splitlines()[0].partition(": ")[2] or "this is not answered here") from None
        finally:
            cursor.close()


def about_system(statement: exp.Expression) -> bool:
    """Whether a statement asks the catalogues or the session: it names no relation of a model. Raises SqlRefused where it asks both."""
    names = {folded(part.args["alias"].this) for part in statement.find_all(exp.CTE)}
    tables = [table for table in statement.find_all(exp.Table) if isinstance(table.this, exp.Identifier)]
    tables = [table for table in tables if table.args.get("db") or folded(table.this) not in names]
    system = [_system_table(table) is not None for table in tables]
    if any(system) and not all(system):
        raise SqlRefused(NOT_SUPPORTED, "Catalogues and relations are not asked in one statement.", "Ask each in a statement of its own.")
    return all(system)


def without_catalogue_names(text: str) -> str:
    """A statement with `pg_catalog.` left out, as it names functions, types and operators there, and with plain operators in place of OPERATOR(…)."""
    if not any(name in text.lower() for name in ("pg_catalog", "information_schema")):
        return text
    tokens = Door().tokenize(text)
    kept, end = [], 0
    for place, token in enumerate(tokens):
        if _starts_name(tokens, place):
            kept.append(text[end : token.start])
            end = tokens[place + 1].end + 1
    text = "".join([*kept, text[end:]])
    for written in ("~", "!~", "~*", "!~*", "=", "+", "||", "<>", "~~"):
        text = text.replace(f"OPERATOR({written})", written)
    return text.replace("COLLATE default", "").replace('COLLATE "default"', "")


def _starts_name(tokens: list[Token], place: int) -> bool:
    """Whether a schema stands before a name at a place: pg_catalog, or the standard's before a function."""
    said = [token.text.lower() for token in tokens[place : place + 4]]
    if len(said) < 2 or tokens[place].token_type not in (TokenType.VAR, TokenType.IDENTIFIER) or said[1] != ".":
        return False
    return said[0] == "pg_catalog" or (said[0] == "information_schema" and said[3:] == ["("])


def _system_table(table: exp.Table) -> str | None:
    """Where the engine has a catalogue; None for what is none."""
    name, schema = folded(table.this), folded(table.args.get("db"))
    if schema == "information_schema":
        return f"i.{name}" if name in INFORMATION else "i.none"
    if schema == "pg_catalog" or (not schema and name.startswith("pg_")):
        return f"s.{name}" if name in SYSTEM else "s.none"
    return None


class _Written:
    """A statement on its way to the engine: catalogues by their places there, functions by the names they have there, what the session says as values."""

    def __init__(self, session: Session, parameters: Mapping[int, Any], described: bool) -> None:
        self._session, self._parameters, self._described = session, parameters, described
        #: Whether the answer depends on the session, or on when it is asked.
        self.of_session = False
        self._said = {
            "current_user": session.user, "session_user": session.user, "user": session.user, "current_role": session.user, "current_catalog": DATABASE,
        }  # fmt: skip

    def of(self, statement: exp.Query) -> str:
        """The text the engine is given. Raises SqlRefused for anything it may not be asked."""
        named = {folded(part.args["alias"].this) for part in statement.find_all(exp.CTE)}
        for node in statement.walk():
            if isinstance(node, exp.Table) and isinstance(node.this, exp.Identifier):
                place = _system_table(node)
                if (place is None and folded(node.this) not in named) or (place or "").endswith(".none"):
                    raise SqlRefused(NO_TABLE, f'relation "{folded(node.this)}" does not exist', position=position_of(node))
            elif not isinstance(node, (*ALLOWED, *_NODES, exp.Anonymous, exp.Parameter, exp.SessionParameter, exp.CurrentUser, exp.CurrentSchema)):
                if not isinstance(node, exp.Func):
                    raise SqlRefused(NOT_SUPPORTED, f"{type(node).__name__.upper()} is not answered here.", position=_position(node))
                name = node.sql_name().lower()
                if name not in _NAMES and name not in self._said:
                    raise SqlRefused(NO_FUNCTION, f"function {name} does not exist", position=_position(node))
        written = cast(exp.Expression, statement.copy())
        _name_columns(written)
        # From the inside out, so that what stands inside a function is written before the function is.
        for node in reversed(cast(list[exp.Expression], list(written.walk()))):
            made = self._node(node)
            if made is node:
                continue
            if node is written:
                written = made
            else:
                node.replace(made)
        return written.sql(dialect="duckdb", comments=False)

    def _node(self, node: exp.Expression) -> exp.Expression:
        if isinstance(node, exp.Table) and isinstance(node.this, exp.Identifier):
            return self._table(node)
        if isinstance(node, exp.Parameter | exp.Placeholder):
            number = int(node.name) if node.name.isdigit() else 0
            if number not in self._parameters:
                raise SqlRefused(BAD_PARAMETER, f"there is no parameter ${node.name or '?'}", position=position_of(node))
            return bound_value(self._parameters[number])
        if isinstance(node, exp.Column) and not node.args.get("table") and not node.this.args.get("quoted") and node.name.lower() in self._said:
            return exp.Literal.string(self._said[node.name.lower()])
        if isinstance(node, exp.Cast):
            return self._cast(node)
        if isinstance(node, exp.Collate):
            return cast(exp.Expression, node.this)
        if isinstance(node, exp.EQ | exp.NEQ) and isinstance(node.this, exp.Column) and node.this.name in FUNCTION_COLUMNS and node.expression.name == "0":
            node.set("expression", exp.Literal.string("-"))
            return node
        if isinstance(node, exp.ByteString):
            return exp.Literal.string(_ESCAPED.sub(lambda found: _ESCAPES.get(found[1], found[1]), node.name))
        if isinstance(node, exp.Bracket) and isinstance(node.this, exp.Column) and node.this.name in ("indkey", "indoption", "indclass", "indcollation"):
            # The protocol counts these from 0.
            node.set("expressions", [exp.Add(this=item, expression=exp.Literal.number(1)) for item in node.expressions])
            return node
        if isinstance(node, exp.Anonymous | exp.Func) and not isinstance(node, exp.Cast | exp.Case | exp.If | exp.And | exp.Or):
            return self._function(node)
        return node

    def _table(self, node: exp.Table) -> exp.Expression:
        place = _system_table(node)
        if place is None:
            return node
        schema, _, name = place.partition(".")
        alias = node.args.get("alias") or exp.TableAlias(this=exp.to_identifier(name))
        made = exp.Table(this=exp.to_identifier(name), db=exp.to_identifier(schema), alias=alias)
        if node.args.get("joins"):
            made.set("joins", node.args["joins"])
        if node.args.get("laterals"):
            made.set("laterals", node.args["laterals"])
        return made

    def _cast(self, node: exp.Cast) -> exp.Expression:
        kind = node.to.sql(dialect="postgres").lower().replace('"', "")
        many = kind.endswith("[]")
        if kind in _REGS:
            base = "regproc" if kind in ("regprocedure", "regoper", "regconfig") else kind
            if isinstance(node.this, exp.Literal) and node.this.is_string:
                return exp.Anonymous(this=f"_{base}_oid", expressions=[node.this]) if base != "regproc" else exp.null()
            beside = node.parent
            compared = isinstance(beside, exp.EQ | exp.NEQ | exp.In)
            return node.this if compared else exp.Anonymous(this=f"_{base}_name", expressions=[node.this])
        plain = kind.removesuffix("[]")
        if plain == "oid":
            inner = node.this
            return inner if _is_oid(inner) else exp.cast(inner, "UINTEGER[]" if many else "UINTEGER", dialect="duckdb")
        if plain in ("int2vector", "oidvector"):
            return cast(exp.Expression, node.this)
        if plain in _AS_TEXT or plain.startswith(("char(", "bpchar(", "varchar(", "name(")):
            return exp.cast(node.this, "VARCHAR[]" if many else "VARCHAR", dialect="duckdb")
        return node

    def _function(self, node: exp.Expression) -> exp.Expression:
        name = node.name.lower() if isinstance(node, exp.Anonymous) else node.sql_name().lower() if isinstance(node, exp.Func) else ""
        if name == "current_user" or isinstance(node, exp.CurrentUser):
            return exp.Literal.string(self._session.user)
        if isinstance(node, exp.CurrentSchema):
            return exp.Anonymous(this="_current_schema", expressions=[])
        if name in ("session_user", "current_role", "current_catalog", "user"):
            return exp.Literal.string(self._said[name])
        if name == "pg_backend_pid":
            self.of_session = True
            return exp.cast(exp.Literal.number(self._session.number), "INTEGER")
        arguments = list(node.expressions) if isinstance(node, exp.Anonymous) else []
        self.of_session = self.of_session or name in _OF_SESSION or isinstance(node, exp.CurrentTimestamp | exp.CurrentDate)
        if name in _OBJECTS:
            return exp.cast(exp.null(), "VARCHAR")
        if name == "current_setting":
            return self._setting(arguments)
        if name == "set_config":
            return self._set(arguments)
        name = _ALIASES.get(name, name)
        if name in _NAMES:
            if not isinstance(node, exp.Anonymous):
                arguments = [value for value in node.args.values() if isinstance(value, exp.Expression)] + list(node.args.get("expressions") or [])
            return exp.Anonymous(this=f"_{name}", expressions=arguments)
        if isinstance(node, exp.Anonymous) and name not in _PLAIN:
            raise SqlRefused(NO_FUNCTION, f"function {name} does not exist", position=position_of(node))
        return node

    def _setting(self, arguments: list[exp.Expression]) -> exp.Expression:
        named = arguments[0].this if arguments and isinstance(arguments[0], exp.Cast) else arguments[0] if arguments else None
        name = named.name.lower() if isinstance(named, exp.Literal) else ""
        if self._described:
            return exp.Literal.string("")
        if name in self._session.settings:
            return exp.Literal.string(self._session.settings[name])
        if len(arguments) > 1:
            return exp.cast(exp.null(), "VARCHAR")
        raise SqlRefused("42704", f'unrecognized configuration parameter "{name}"')

    def _set(self, arguments: list[exp.Expression]) -> exp.Expression:
        if len(arguments) != 3 or not all(isinstance(item, exp.Literal) for item in arguments[:2]):
            raise SqlRefused(NOT_SUPPORTED, "set_config takes a name, a value and whether it is for this transaction.")
        name, value = arguments[0].name.lower(), arguments[1].name
        if not self._described and self._session.change is not None:
            self._session.change(name, value)
        return exp.Literal.string(value)


def _name_columns(statement: exp.Expression) -> None:
    """Gives what is selected without AS the name clients know it by."""
    first = statement
    while isinstance(first, exp.SetOperation | exp.Subquery):
        first = first.this
    if isinstance(first, exp.Select):
        plain = (exp.Alias, exp.Column, exp.Star, exp.Dot)
        named = [item if isinstance(item, plain) else exp.alias_(item.copy(), _name_of(item), quoted=True) for item in first.expressions]
        said = ("current_user", "session_user", "user", "current_role", "current_catalog")
        named = [exp.alias_(item.copy(), item.name.lower()) if isinstance(item, exp.Column) and item.name.lower() in said else item for item in named]
        first.set("expressions", named)


def _name_of(item: exp.Expression) -> str:
    if isinstance(item, exp.Cast) and isinstance(item.this, exp.Literal | exp.Null | exp.Boolean | exp.Parameter | exp.Placeholder):
        return TYPE_NAMES.get(item.to.sql(dialect="postgres").lower(), item.to.sql(dialect="postgres").lower())
    if isinstance(item, exp.Boolean):
        return "bool"
    return "current_schema" if isinstance(item, exp.CurrentSchema) else spoken(item)


def _is_oid(node: exp.Expression) -> bool:
    return isinstance(node, exp.Anonymous) and str(node.this).endswith("_oid")


def _position(node: object) -> int | None:
    return position_of(node) if isinstance(node, exp.Expression) else None


@lru_cache(maxsize=512)
def read_system(text: str) -> SystemStatement | None:
    """A statement about the catalogues or the session; None for one about relations, or what is no SELECT. Raises SqlRefused where it asks both."""
    try:
        found = [item for item in sqlglot.parse(without_catalogue_names(text), dialect=SystemDoor) if item is not None]
    except (SqlglotError, RecursionError, ValueError):
        return None
    if len(found) != 1 or not isinstance(found[0], exp.Select | exp.SetOperation | exp.Values):
        return None
    return SystemStatement(text, cast(exp.Query, found[0])) if about_system(found[0]) else None
