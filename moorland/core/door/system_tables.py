"""The system catalogues as clients of the protocol read them, holding only what exists for the viewer (channels.md 13.2).

Columns are those of version 15 of the protocol's server that clients name; what has no meaning here is null, empty or false.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from moorland.core.bundle.shape import ValueType
from moorland.core.door.catalogue import Catalogue, Relation

#: The columns of each catalogue as `name:type`; types are those of the engine, `oid` an unsigned integer.
SYSTEM: dict[str, str] = {
    "pg_namespace": "oid:oid nspname:text nspowner:oid nspacl:text[]",
    "pg_class": "oid:oid relname:text relnamespace:oid reltype:oid reloftype:oid relowner:oid relam:oid relfilenode:oid reltablespace:oid relpages:int"
    " reltuples:float relallvisible:int reltoastrelid:oid relhasindex:bool relisshared:bool relpersistence:text relkind:text relnatts:int2 relchecks:int2"
    " relhasrules:bool relhastriggers:bool relhassubclass:bool relrowsecurity:bool relforcerowsecurity:bool relispopulated:bool relreplident:text"
    " relispartition:bool relrewrite:oid relfrozenxid:oid relminmxid:oid relacl:text[] reloptions:text[] relpartbound:text",
    "pg_attribute": "attrelid:oid attname:text atttypid:oid attstattarget:int attlen:int2 attnum:int2 attndims:int attcacheoff:int atttypmod:int attbyval:bool"
    " attalign:text attstorage:text attcompression:text attnotnull:bool atthasdef:bool atthasmissing:bool attidentity:text attgenerated:text"
    " attisdropped:bool attislocal:bool attinhcount:int attcollation:oid attacl:text[] attoptions:text[] attfdwoptions:text[] attmissingval:text",
    "pg_type": "oid:oid typname:text typnamespace:oid typowner:oid typlen:int2 typbyval:bool typtype:text typcategory:text typispreferred:bool"
    " typisdefined:bool typdelim:text typrelid:oid typsubscript:oid typelem:oid typarray:oid typinput:text typoutput:text typreceive:text typsend:text"
    " typmodin:text typmodout:text typanalyze:text typalign:text typstorage:text typnotnull:bool typbasetype:oid typtypmod:int typndims:int"
    " typcollation:oid typdefaultbin:text typdefault:text typacl:text[]",
    "pg_description": "objoid:oid classoid:oid objsubid:int description:text",
    "pg_shdescription": "objoid:oid classoid:oid description:text",
    "pg_constraint": "oid:oid conname:text connamespace:oid contype:text condeferrable:bool condeferred:bool convalidated:bool conrelid:oid contypid:oid"
    " conindid:oid conparentid:oid confrelid:oid confupdtype:text confdeltype:text confmatchtype:text conislocal:bool coninhcount:int connoinherit:bool"
    " conkey:int2[] confkey:int2[] conpfeqop:oid[] conppeqop:oid[] conffeqop:oid[] confdelsetcols:int2[] conexclop:oid[] conbin:text",
    "pg_index": "indexrelid:oid indrelid:oid indnatts:int2 indnkeyatts:int2 indisunique:bool indnullsnotdistinct:bool indisprimary:bool indisexclusion:bool"
    " indimmediate:bool indisclustered:bool indisvalid:bool indcheckxmin:bool indisready:bool indislive:bool indisreplident:bool indkey:int2[]"
    " indcollation:oid[] indclass:oid[] indoption:int2[] indexprs:text indpred:text",
    "pg_settings": "name:text setting:text unit:text category:text short_desc:text extra_desc:text context:text vartype:text source:text min_val:text"
    " max_val:text enumvals:text[] boot_val:text reset_val:text sourcefile:text sourceline:int pending_restart:bool",
    "pg_database": "oid:oid datname:text datdba:oid encoding:int datlocprovider:text datistemplate:bool datallowconn:bool datconnlimit:int datfrozenxid:oid"
    " datminmxid:oid dattablespace:oid datcollate:text datctype:text daticulocale:text datcollversion:text datacl:text[]",
    "pg_roles": "oid:oid rolname:text rolsuper:bool rolinherit:bool rolcreaterole:bool rolcreatedb:bool rolcanlogin:bool rolreplication:bool"
    " rolconnlimit:int rolpassword:text rolvaliduntil:timestamp rolbypassrls:bool rolconfig:text[]",
    "pg_user": "usename:text usesysid:oid usecreatedb:bool usesuper:bool userepl:bool usebypassrls:bool passwd:text valuntil:timestamp useconfig:text[]",
    "pg_am": "oid:oid amname:text amhandler:text amtype:text",
    "pg_tables": "schemaname:text tablename:text tableowner:text tablespace:text hasindexes:bool hasrules:bool hastriggers:bool rowsecurity:bool",
    "pg_views": "schemaname:text viewname:text viewowner:text definition:text",
    "pg_matviews": "schemaname:text matviewname:text matviewowner:text tablespace:text hasindexes:bool ispopulated:bool definition:text",
    "pg_indexes": "schemaname:text tablename:text indexname:text tablespace:text indexdef:text",
    "pg_tablespace": "oid:oid spcname:text spcowner:oid spcacl:text[] spcoptions:text[]",
    "pg_language": "oid:oid lanname:text lanowner:oid lanispl:bool lanpltrusted:bool lanplcallfoid:oid laninline:oid lanvalidator:oid lanacl:text[]",
    "pg_collation": "oid:oid collname:text collnamespace:oid collowner:oid collprovider:text collisdeterministic:bool collencoding:int collcollate:text"
    " collctype:text colliculocale:text collversion:text",
    # What is empty here: there is nothing of the kind.
    "pg_attrdef": "oid:oid adrelid:oid adnum:int2 adbin:text",
    "pg_proc": "oid:oid proname:text pronamespace:oid proowner:oid prolang:oid procost:float prorows:float provariadic:oid prosupport:text prokind:text"
    " prosecdef:bool proleakproof:bool proisstrict:bool proretset:bool provolatile:text proparallel:text pronargs:int2 pronargdefaults:int2 prorettype:oid"
    " proargtypes:oid[] proallargtypes:oid[] proargmodes:text[] proargnames:text[] proargdefaults:text protrftypes:oid[] prosrc:text probin:text"
    " prosqlbody:text proconfig:text[] proacl:text[]",
    "pg_enum": "oid:oid enumtypid:oid enumsortorder:float enumlabel:text",
    "pg_range": "rngtypid:oid rngsubtype:oid rngmultitypid:oid rngcollation:oid rngsubopc:oid rngcanonical:text rngsubdiff:text",
    "pg_inherits": "inhrelid:oid inhparent:oid inhseqno:int inhdetachpending:bool",
    "pg_policy": "oid:oid polname:text polrelid:oid polcmd:text polpermissive:bool polroles:oid[] polqual:text polwithcheck:text",
    "pg_policies": "schemaname:text tablename:text policyname:text permissive:text roles:text[] cmd:text qual:text with_check:text",
    "pg_publication": "oid:oid pubname:text pubowner:oid puballtables:bool pubinsert:bool pubupdate:bool pubdelete:bool pubtruncate:bool pubviaroot:bool",
    "pg_publication_rel": "oid:oid prpubid:oid prrelid:oid prqual:text prattrs:int2[]",
    "pg_publication_namespace": "oid:oid pnpubid:oid pnnspid:oid",
    "pg_publication_tables": "pubname:text schemaname:text tablename:text attnames:text[] rowfilter:text",
    "pg_subscription": "oid:oid subdbid:oid subskiplsn:text subname:text subowner:oid subenabled:bool subbinary:bool substream:bool subtwophasestate:text"
    " subdisableonerr:bool subconninfo:text subslotname:text subsynccommit:text subpublications:text[]",
    "pg_statistic_ext": "oid:oid stxrelid:oid stxname:text stxnamespace:oid stxowner:oid stxstattarget:int stxkeys:int2[] stxkind:text[] stxexprs:text",
    "pg_stats": "schemaname:text tablename:text attname:text n_distinct:float null_frac:float avg_width:int",
    "pg_trigger": "oid:oid tgrelid:oid tgparentid:oid tgname:text tgfoid:oid tgtype:int2 tgenabled:text tgisinternal:bool tgconstrrelid:oid tgconstrindid:oid"
    " tgconstraint:oid tgdeferrable:bool tginitdeferred:bool tgnargs:int2 tgattr:int2[] tgargs:text tgqual:text tgoldtable:text tgnewtable:text",
    "pg_event_trigger": "oid:oid evtname:text evtevent:text evtowner:oid evtfoid:oid evtenabled:text evttags:text[]",
    "pg_rewrite": "oid:oid rulename:text ev_class:oid ev_type:text ev_enabled:text is_instead:bool ev_qual:text ev_action:text",
    "pg_rules": "schemaname:text tablename:text rulename:text definition:text",
    "pg_depend": "classid:oid objid:oid objsubid:int refclassid:oid refobjid:oid refobjsubid:int deptype:text",
    "pg_sequence": "seqrelid:oid seqtypid:oid seqstart:bigint seqincrement:bigint seqmax:bigint seqmin:bigint seqcache:bigint seqcycle:bool",
    "pg_sequences": "schemaname:text sequencename:text sequenceowner:text data_type:text start_value:bigint min_value:bigint max_value:bigint"
    " increment_by:bigint cycle:bool cache_size:bigint last_value:bigint",
    "pg_opclass": "oid:oid opcmethod:oid opcname:text opcnamespace:oid opcowner:oid opcfamily:oid opcintype:oid opcdefault:bool opckeytype:oid",
    "pg_opfamily": "oid:oid opfmethod:oid opfname:text opfnamespace:oid opfowner:oid",
    "pg_operator": "oid:oid oprname:text oprnamespace:oid oprowner:oid oprkind:text oprcanmerge:bool oprcanhash:bool oprleft:oid oprright:oid oprresult:oid"
    " oprcom:oid oprnegate:oid oprcode:text oprrest:text oprjoin:text",
    "pg_cast": "oid:oid castsource:oid casttarget:oid castfunc:oid castcontext:text castmethod:text",
    "pg_conversion": "oid:oid conname:text connamespace:oid conowner:oid conforencoding:int contoencoding:int conproc:text condefault:bool",
    "pg_aggregate": "aggfnoid:oid aggkind:text aggnumdirectargs:int2",
    "pg_extension": "oid:oid extname:text extowner:oid extnamespace:oid extrelocatable:bool extversion:text extconfig:oid[] extcondition:text[]",
    "pg_available_extensions": "name:text default_version:text installed_version:text comment:text",
    "pg_foreign_table": "ftrelid:oid ftserver:oid ftoptions:text[]",
    "pg_foreign_server": "oid:oid srvname:text srvowner:oid srvfdw:oid srvtype:text srvversion:text srvacl:text[] srvoptions:text[]",
    "pg_foreign_data_wrapper": "oid:oid fdwname:text fdwowner:oid fdwhandler:oid fdwvalidator:oid fdwacl:text[] fdwoptions:text[]",
    "pg_user_mapping": "oid:oid umuser:oid umserver:oid umoptions:text[]",
    "pg_partitioned_table": "partrelid:oid partstrat:text partnatts:int2 partdefid:oid partattrs:int2[] partclass:oid[] partcollation:oid[] partexprs:text",
    "pg_auth_members": "roleid:oid member:oid grantor:oid admin_option:bool",
    "pg_db_role_setting": "setdatabase:oid setrole:oid setconfig:text[]",
    "pg_default_acl": "oid:oid defaclrole:oid defaclnamespace:oid defaclobjtype:text defaclacl:text[]",
    "pg_locks": "locktype:text database:oid relation:oid pid:int mode:text granted:bool transactionid:oid",
    "pg_stat_activity": "datid:oid datname:text pid:int usesysid:oid usename:text application_name:text state:text query:text backend_xmin:oid",
    "pg_stat_user_tables": "relid:oid schemaname:text relname:text seq_scan:bigint n_live_tup:bigint",
    "pg_prepared_xacts": "transaction:oid gid:text owner:text database:text",
    "pg_ts_config": "oid:oid cfgname:text cfgnamespace:oid cfgowner:oid cfgparser:oid",
    "pg_ts_dict": "oid:oid dictname:text dictnamespace:oid dictowner:oid dicttemplate:oid dictinitoption:text",
    "pg_ts_parser": "oid:oid prsname:text prsnamespace:oid",
    "pg_ts_template": "oid:oid tmplname:text tmplnamespace:oid",
    "pg_timezone_names": "name:text abbrev:text utc_offset:text is_dst:bool",
    "pg_largeobject_metadata": "oid:oid lomowner:oid lomacl:text[]",
}
INFORMATION: dict[str, str] = {
    "schemata": "catalog_name:text schema_name:text schema_owner:text default_character_set_catalog:text default_character_set_schema:text"
    " default_character_set_name:text sql_path:text",
    "tables": "table_catalog:text table_schema:text table_name:text table_type:text self_referencing_column_name:text reference_generation:text"
    " user_defined_type_catalog:text user_defined_type_schema:text user_defined_type_name:text is_insertable_into:text is_typed:text commit_action:text",
    "columns": "table_catalog:text table_schema:text table_name:text column_name:text ordinal_position:int column_default:text is_nullable:text data_type:text"
    " character_maximum_length:int character_octet_length:int numeric_precision:int numeric_precision_radix:int numeric_scale:int datetime_precision:int"
    " interval_type:text interval_precision:int character_set_catalog:text character_set_schema:text character_set_name:text collation_catalog:text"
    " collation_schema:text collation_name:text domain_catalog:text domain_schema:text domain_name:text udt_catalog:text udt_schema:text udt_name:text"
    " scope_catalog:text scope_schema:text scope_name:text maximum_cardinality:int dtd_identifier:text is_self_referencing:text is_identity:text"
    " identity_generation:text identity_start:text identity_increment:text identity_maximum:text identity_minimum:text identity_cycle:text"
    " is_generated:text generation_expression:text is_updatable:text",
    "table_constraints": "constraint_catalog:text constraint_schema:text constraint_name:text table_catalog:text table_schema:text table_name:text"
    " constraint_type:text is_deferrable:text initially_deferred:text enforced:text nulls_distinct:text",
    "key_column_usage": "constraint_catalog:text constraint_schema:text constraint_name:text table_catalog:text table_schema:text table_name:text"
    " column_name:text ordinal_position:int position_in_unique_constraint:int",
    "constraint_column_usage": "table_catalog:text table_schema:text table_name:text column_name:text constraint_catalog:text constraint_schema:text"
    " constraint_name:text",
    "referential_constraints": "constraint_catalog:text constraint_schema:text constraint_name:text unique_constraint_catalog:text"
    " unique_constraint_schema:text unique_constraint_name:text match_option:text update_rule:text delete_rule:text",
    "views": "table_catalog:text table_schema:text table_name:text view_definition:text check_option:text is_updatable:text is_insertable_into:text",
    "routines": "specific_catalog:text specific_schema:text specific_name:text routine_catalog:text routine_schema:text routine_name:text routine_type:text"
    " data_type:text routine_definition:text",
    "parameters": "specific_catalog:text specific_schema:text specific_name:text ordinal_position:int parameter_mode:text parameter_name:text data_type:text",
    "sequences": "sequence_catalog:text sequence_schema:text sequence_name:text data_type:text start_value:text minimum_value:text maximum_value:text"
    " increment:text cycle_option:text",
    "table_privileges": "grantor:text grantee:text table_catalog:text table_schema:text table_name:text privilege_type:text is_grantable:text",
    "column_privileges": "grantor:text grantee:text table_catalog:text table_schema:text table_name:text column_name:text privilege_type:text"
    " is_grantable:text",
    "check_constraints": "constraint_catalog:text constraint_schema:text constraint_name:text check_clause:text",
    "triggers": "trigger_catalog:text trigger_schema:text trigger_name:text event_object_schema:text event_object_table:text",
    "character_sets": "character_set_catalog:text character_set_schema:text character_set_name:text character_repertoire:text",
    "enabled_roles": "role_name:text",
    "applicable_roles": "grantee:text role_name:text is_grantable:text",
    "domains": "domain_catalog:text domain_schema:text domain_name:text data_type:text",
    "information_schema_catalog_name": "catalog_name:text",
}
#: The schema of system catalogues, and those of relations of the standard; both are listed as schemas.
PG_CATALOG, INFORMATION_SCHEMA = 11, 13_000
OWNER, DATABASE_OID, HEAP, BTREE, COLLATION = 10, 16_384, 2, 403, 100
DATABASE = "moorland"
ENGINE_TYPES = {
    "oid": "UINTEGER", "text": "VARCHAR", "int": "INTEGER", "int2": "SMALLINT", "bigint": "BIGINT", "float": "FLOAT", "bool": "BOOLEAN", "timestamp": "TIMESTAMP",
}  # fmt: skip


class WireType(NamedTuple):
    """A type as the protocol's catalogues describe it."""

    oid: int
    name: str
    spoken: str
    size: int
    category: str
    array: int


TYPES = {
    item.name: item
    for item in (
        WireType(16, "bool", "boolean", 1, "B", 1000),
        WireType(17, "bytea", "bytea", -1, "U", 1001),
        WireType(18, "char", '"char"', 1, "Z", 1002),
        WireType(19, "name", "name", 64, "S", 1003),
        WireType(20, "int8", "bigint", 8, "N", 1016),
        WireType(21, "int2", "smallint", 2, "N", 1005),
        WireType(23, "int4", "integer", 4, "N", 1007),
        WireType(25, "text", "text", -1, "S", 1009),
        WireType(26, "oid", "oid", 4, "N", 1028),
        WireType(114, "json", "json", -1, "U", 199),
        WireType(700, "float4", "real", 4, "N", 1021),
        WireType(701, "float8", "double precision", 8, "N", 1022),
        WireType(705, "unknown", "unknown", -2, "X", 0),
        WireType(1042, "bpchar", "character", -1, "S", 1014),
        WireType(1043, "varchar", "character varying", -1, "S", 1015),
        WireType(1082, "date", "date", 4, "D", 1182),
        WireType(1083, "time", "time without time zone", 8, "D", 1183),
        WireType(1114, "timestamp", "timestamp without time zone", 8, "D", 1115),
        WireType(1184, "timestamptz", "timestamp with time zone", 8, "D", 1185),
        WireType(1186, "interval", "interval", 16, "T", 1187),
        WireType(1700, "numeric", "numeric", -1, "N", 1231),
        WireType(2205, "regclass", "regclass", 4, "N", 2210),
        WireType(2206, "regtype", "regtype", 4, "N", 2211),
        WireType(2950, "uuid", "uuid", 16, "U", 2951),
    )
}
#: What the types of a model are to clients.
VALUE_TYPES: dict[ValueType, WireType] = {
    "boolean": TYPES["bool"],
    "integer": TYPES["int8"],
    "number": TYPES["float8"],
    "text": TYPES["text"],
    "date": TYPES["date"],
    "timestamp": TYPES["timestamp"],
}
_UNDERSCORED = ("numeric", "date", "time", "timestamp", "timestamptz", "interval", "uuid", "json")
#: Columns that hold functions by name, which clients also compare with 0.
FUNCTION_COLUMNS = frozenset(("typinput", "typoutput", "typreceive", "typsend", "typmodin", "typmodout", "typanalyze", "amhandler", "oprcode"))
_PRECISION = {"integer": (64, 2, 0), "number": (53, 2, None)}

Row = dict[str, Any]


@dataclass
class Contents:
    """The rows of every catalogue, by `schema.name`; what a row does not say is null."""

    rows: dict[str, list[Row]] = field(default_factory=dict)

    def add(self, table: str, **row: Any) -> None:
        """One row more."""
        self.rows.setdefault(table, []).append(row)


class Place(NamedTuple):
    """Where a relation stands in the catalogues: its number, and those of its columns."""

    oid: int
    numbers: dict[str, int]
    #: As constraints name it: with its schema where others have a relation of its name, too.
    written: str


def contents_of(catalogue: Catalogue, owner: str, settings: Mapping[str, str]) -> Contents:
    """The catalogues for what exists for a viewer."""
    found = Contents()
    _fixed(found, owner, settings)
    namespaces = {name: 20_000 + place for place, name in enumerate(sorted({item.schema for item in catalogue.relations}))}
    for name, oid in namespaces.items():
        found.add("pg_namespace", oid=oid, nspname=name, nspowner=OWNER)
        found.add("schemata", catalog_name=DATABASE, schema_name=name, schema_owner=owner)
    places = {
        (item.schema, item.name): Place(
            100_000 + 100 * place,
            {field.name: number for number, field in enumerate(item.fields, start=1)},
            quoted(item.name) if len(catalogue.find(item.name, None)) == 1 else f"{quoted(item.schema)}.{quoted(item.name)}",
        )
        for place, item in enumerate(catalogue.relations)
    }
    for relation in catalogue.relations:
        _relation(found, relation, namespaces[relation.schema], places, owner)
    return found


def _fixed(found: Contents, owner: str, settings: Mapping[str, str]) -> None:
    for oid, name in ((PG_CATALOG, "pg_catalog"), (INFORMATION_SCHEMA, "information_schema")):
        found.add("pg_namespace", oid=oid, nspname=name, nspowner=OWNER)
        found.add("schemata", catalog_name=DATABASE, schema_name=name, schema_owner=owner)
    for item in TYPES.values():
        common: Row = {"typnamespace": PG_CATALOG, "typowner": OWNER, "typtype": "b", "typisdefined": True, "typdelim": ",", "typrelid": 0, "typnotnull": False}
        common |= {"typbasetype": 0, "typtypmod": -1, "typndims": 0, "typalign": "i", "typstorage": "p", "typispreferred": False, "typsubscript": 0}
        collation = COLLATION if item.category == "S" else 0
        stem = f"{item.name}_" if item.name in _UNDERSCORED else item.name
        named = {"typinput": f"{stem}in", "typoutput": f"{stem}out", "typreceive": f"{stem}recv", "typsend": f"{stem}send"}
        own: Row = {"typlen": item.size, "typbyval": 0 < item.size <= 8, "typcategory": item.category, "typcollation": collation}
        found.add("pg_type", oid=item.oid, typname=item.name, typelem=0, typarray=item.array, **common, **own, **named)
        if item.array:
            many = {"typinput": "array_in", "typoutput": "array_out", "typreceive": "array_recv", "typsend": "array_send"}
            own = {"typlen": -1, "typbyval": False, "typcategory": "A", "typcollation": collation}
            found.add("pg_type", oid=item.array, typname=f"_{item.name}", typelem=item.oid, typarray=0, **common, **own, **many)
    for name, setting in settings.items():
        found.add("pg_settings", name=name, setting=setting, context="user", vartype="string", source="default", boot_val=setting, reset_val=setting)
    database = {"datdba": OWNER, "encoding": 6, "datlocprovider": "c", "datistemplate": False, "datallowconn": True, "datconnlimit": -1, "dattablespace": 1663}
    found.add("pg_database", oid=DATABASE_OID, datname=DATABASE, datcollate="C.UTF-8", datctype="C.UTF-8", **database)
    role = {"rolsuper": False, "rolinherit": True, "rolcreaterole": False, "rolcreatedb": False, "rolcanlogin": True, "rolreplication": False}
    found.add("pg_roles", oid=OWNER, rolname=owner, rolconnlimit=-1, rolpassword="********", rolbypassrls=False, **role)
    found.add("pg_user", usename=owner, usesysid=OWNER, usecreatedb=False, usesuper=False, userepl=False, usebypassrls=False, passwd="********")  # noqa: S106
    found.add("pg_am", oid=HEAP, amname="heap", amhandler="heap_tableam_handler", amtype="t")
    found.add("pg_am", oid=BTREE, amname="btree", amhandler="bthandler", amtype="i")
    found.add("pg_tablespace", oid=1663, spcname="pg_default", spcowner=OWNER)
    found.add("pg_language", oid=14, lanname="sql", lanowner=OWNER, lanispl=False, lanpltrusted=True)
    rules: Row = {"collnamespace": PG_CATALOG, "collowner": OWNER, "collisdeterministic": True, "collencoding": -1}
    found.add("pg_collation", oid=COLLATION, collname="default", collprovider="d", **rules)
    found.add("pg_collation", oid=950, collname="C", collprovider="c", collcollate="C", collctype="C", **rules)
    found.add("enabled_roles", role_name=owner)
    found.add("information_schema_catalog_name", catalog_name=DATABASE)
    found.add("character_sets", character_set_name="UTF8", character_repertoire="UCS")


def _class(found: Contents, oid: int, name: str, namespace: int, kind: str, columns: int, has_index: bool, is_related: bool = False) -> None:
    zeros = dict.fromkeys(("reltype", "reloftype", "relfilenode", "reltablespace", "relpages", "relallvisible", "reltoastrelid", "relchecks", "relrewrite"), 0)
    falses = dict.fromkeys(("relisshared", "relhasrules", "relhassubclass", "relrowsecurity", "relforcerowsecurity", "relispartition"), False)
    own = {"relam": BTREE if kind == "i" else HEAP, "relkind": kind, "relnatts": columns, "relhasindex": has_index, "relhastriggers": is_related}
    found.add(
        "pg_class", oid=oid, relname=name, relnamespace=namespace, relowner=OWNER, reltuples=-1.0, relpersistence="p", relispopulated=True,
        relreplident="d", relfrozenxid=0, relminmxid=0, **zeros, **falses, **own,
    )  # fmt: skip


def _attribute(found: Contents, relation: int, number: int, name: str, type_: WireType, not_null: bool) -> None:
    own = {"attlen": type_.size, "attbyval": 0 < type_.size <= 8, "attcollation": COLLATION if type_.category == "S" else 0, "attnotnull": not_null}
    falses = dict.fromkeys(("atthasdef", "atthasmissing", "attisdropped"), False)
    found.add(
        "pg_attribute", attrelid=relation, attname=name, atttypid=type_.oid, attnum=number, attstattarget=-1, attndims=0, attcacheoff=-1, atttypmod=-1,
        attalign="i", attstorage="p", attcompression="", attidentity="", attgenerated="", attislocal=True, attinhcount=0, **own, **falses,
    )  # fmt: skip


def _relation(found: Contents, relation: Relation, namespace: int, places: dict[tuple[str, str], Place], owner: str) -> None:
    (oid, numbers, _), place = places[relation.schema, relation.name], {"table_catalog": DATABASE, "table_schema": relation.schema, "table_name": relation.name}
    _class(found, oid, relation.name, namespace, "r", len(relation.fields), relation.key is not None, relation.key is not None or bool(relation.references))
    found.add("pg_tables", schemaname=relation.schema, tablename=relation.name, tableowner=owner, hasindexes=relation.key is not None)
    found.add("tables", **place, table_type="BASE TABLE", is_insertable_into="NO", is_typed="NO")
    found.add("table_privileges", grantor=owner, grantee=owner, **place, privilege_type="SELECT", is_grantable="NO")
    if relation.about:
        found.add("pg_description", objoid=oid, classoid=1259, objsubid=0, description=relation.about)
    for number, item in enumerate(relation.fields, start=1):
        type_ = VALUE_TYPES[item.type]
        _attribute(found, oid, number, item.name, type_, item.name == relation.key)
        if item.about:
            found.add("pg_description", objoid=oid, classoid=1259, objsubid=number, description=item.about)
        precision = _PRECISION.get(item.type, (None, None, None))
        found.add(
            "columns", **place, column_name=item.name, ordinal_position=number, is_nullable="NO" if item.name == relation.key else "YES",
            data_type=type_.spoken, numeric_precision=precision[0], numeric_precision_radix=precision[1], numeric_scale=precision[2],
            datetime_precision={"date": 0, "timestamp": 6}.get(item.type), udt_catalog=DATABASE, udt_schema="pg_catalog", udt_name=type_.name,
            dtd_identifier=str(number), is_self_referencing="NO", is_identity="NO", identity_cycle="NO", is_generated="NEVER", is_updatable="NO",
        )  # fmt: skip
        found.add("column_privileges", grantor=owner, grantee=owner, **place, column_name=item.name, privilege_type="SELECT", is_grantable="NO")
    if relation.key is not None:
        _key(found, relation, oid, namespace, numbers[relation.key])
    for count, (column, other, key) in enumerate(relation.references, start=1):
        target = places[relation.schema, other]
        name, number = f"{relation.name}_{column}_fkey", oid + 2 + count
        lists = {"confkey": [target.numbers[key]]}
        _constraint(found, number, name, namespace, oid, "f", [numbers[column]], confrelid=target.oid, conindid=target.oid + 1, **lists)
        written = f"FOREIGN KEY ({quoted(column)}) REFERENCES {target.written}({quoted(key)})"
        found.add("moorland_definitions", oid=number, definition=written)
        _standard_constraint(found, relation, name, "FOREIGN KEY", column, (other, key))
        found.add(
            "referential_constraints", constraint_catalog=DATABASE, constraint_schema=relation.schema, constraint_name=name,
            unique_constraint_catalog=DATABASE, unique_constraint_schema=relation.schema, unique_constraint_name=f"{other}_pkey",
            match_option="NONE", update_rule="NO ACTION", delete_rule="NO ACTION",
        )  # fmt: skip


def _key(found: Contents, relation: Relation, oid: int, namespace: int, number: int) -> None:
    name, key = f"{relation.name}_pkey", str(relation.key)
    _class(found, oid + 1, name, namespace, "i", 1, False)
    by_name = {item.name: item for item in relation.fields}
    _attribute(found, oid + 1, 1, key, VALUE_TYPES[by_name[key].type], False)
    trues = dict.fromkeys(("indisunique", "indisprimary", "indimmediate", "indisvalid", "indisready", "indislive"), True)
    falses = dict.fromkeys(("indnullsnotdistinct", "indisexclusion", "indisclustered", "indcheckxmin", "indisreplident"), False)
    lists = {"indkey": [number], "indcollation": [0], "indclass": [0], "indoption": [0]}
    found.add("pg_index", indexrelid=oid + 1, indrelid=oid, indnatts=1, indnkeyatts=1, **trues, **falses, **lists)
    written = f"CREATE UNIQUE INDEX {quoted(name)} ON {quoted(relation.schema)}.{quoted(relation.name)} USING btree ({quoted(key)})"
    found.add("pg_indexes", schemaname=relation.schema, tablename=relation.name, indexname=name, indexdef=written)
    found.add("moorland_definitions", oid=oid + 1, definition=written)
    found.add("moorland_definitions", oid=oid + 2, definition=f"PRIMARY KEY ({quoted(key)})")
    _constraint(found, oid + 2, name, namespace, oid, "p", [number], conindid=oid + 1)
    _standard_constraint(found, relation, name, "PRIMARY KEY", key, (relation.name, key))


def _constraint(found: Contents, oid: int, name: str, namespace: int, relation: int, kind: str, columns: list[int], **own: Any) -> None:
    falses = dict.fromkeys(("condeferrable", "condeferred"), False)
    rules = {"confupdtype": "a", "confdeltype": "a", "confmatchtype": "s"} if kind == "f" else {"confupdtype": " ", "confdeltype": " ", "confmatchtype": " "}
    zeros = {"contypid": 0, "conparentid": 0, "confrelid": 0, "coninhcount": 0}
    trues = {"convalidated": True, "conislocal": True, "connoinherit": True}
    row = {**falses, **rules, **zeros, **trues, **own}
    found.add("pg_constraint", oid=oid, conname=name, connamespace=namespace, contype=kind, conrelid=relation, conkey=columns, **row)


def _standard_constraint(found: Contents, relation: Relation, name: str, kind: str, column: str, used: tuple[str, str]) -> None:
    named = {"constraint_catalog": DATABASE, "constraint_schema": relation.schema, "constraint_name": name}
    place = {"table_catalog": DATABASE, "table_schema": relation.schema, "table_name": relation.name}
    found.add("table_constraints", **named, **place, constraint_type=kind, is_deferrable="NO", initially_deferred="NO", enforced="YES")
    position = 1 if kind == "FOREIGN KEY" else None
    found.add("key_column_usage", **named, **place, column_name=column, ordinal_position=1, position_in_unique_constraint=position)
    found.add("constraint_column_usage", **named, **{**place, "table_name": used[0]}, column_name=used[1])


def columns_of(written: str) -> Iterable[tuple[str, str]]:
    """The columns of a catalogue and their types in the engine."""
    for item in written.split():
        name, _, kind = item.partition(":")
        yield name, ENGINE_TYPES[kind.removesuffix("[]")] + ("[]" if kind.endswith("[]") else "")


def quoted(name: str) -> str:
    """A name as it is written: in double quotes where it needs them."""
    return name if name.isidentifier() and name.isascii() and name == name.lower() else '"' + name.replace('"', '""') + '"'
