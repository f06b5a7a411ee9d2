"""What clients do, each as one function of an address: real programs and drivers, by the text and the binary protocol."""

import asyncio
import io
import os
import subprocess
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import adbc_driver_postgresql.dbapi as adbc
import asyncpg
import pandas
import psycopg
import psycopg2
import sqlalchemy
from psycopg.rows import tuple_row

from tests.door.conftest import HERE, SHARED, Address

Asking = Callable[[Address], Any]
CLIENTS: dict[str, Asking] = {}


def client(asking: Asking) -> Asking:
    """Adds a client to those that are tried."""
    CLIENTS[asking.__name__] = asking
    return asking


@client
def psql_values(at: Address) -> Any:
    """Rows and totals, unaligned."""
    return psql(
        at, "select site_id, name, opened from operations.site order by site_id limit 5; select kind, count(*) from operations.site group by kind order by kind"
    )


@client
def psql_shapes(at: Address) -> Any:
    """The shape of some relations: columns, key, links; which others lead there differs, as there are more of them at the door."""
    return [psql(at, rf"\d operations.{name}").partition("Referenced by:")[0] for name in ("site", "contractor", "turbine")]


@client
def psql_lists(at: Address) -> Any:
    """Lists of all kinds of things, of which there are none."""
    lists = (
        r"\dv operations.*",
        r"\dm",
        r"\ds",
        r"\df operations.*",
        r"\dT operations.*",
        r"\dD",
        r"\des",
        r"\dew",
        r"\det",
        r"\dRp",
        r"\dRs",
        r"\dy",
        r"\dX",
        r"\dC operations.*",
    )
    return psql(at, *lists)


@client
def psql_names(at: Address) -> Any:
    """The names of relations and of schemas."""
    tables = psql(at, r"\dt operations.*")
    return [line for line in tables.splitlines() if any(f"|{name}|" in line for name in SHARED)] and psql(at, r"\dn operations").replace(at.user, "…")


@client
def psql_copies(at: Address) -> Any:
    """A copy of totals."""
    return psql(at, r"\copy (select kind, count(*) as sites from operations.site group by kind order by kind) to stdout with csv header")


@client
def psycopg3_binds(at: Address) -> Any:
    """Parameters of several types, text and binary results."""
    asked = "select site_id, name, opened from operations.site where site_id < %s and name > %s and opened > %s::date and kind = any(%s) order by 1"
    with at.connect() as connection:
        values = (30, "C", "2000-01-01", ["hill", "moor", "coast"])
        return [connection.cursor(binary=binary).execute(asked, values).fetchall() for binary in (False, True)]


@client
def psycopg3_prepares(at: Address) -> Any:
    """One statement, prepared and asked again with other values."""
    with at.connect(prepare_threshold=0) as connection:
        return [connection.execute("select count(*) from operations.site where site_id < %s", (most,), prepare=True).fetchone() for most in (0, 10, 20, 500)]


@client
def psycopg3_fetches(at: Address) -> Any:
    """A cursor at the server, and a question beside it."""
    with at.connect() as connection, connection.cursor("walk") as walk:
        walk.itersize = 7
        walk.execute("select turbine_id from operations.turbine order by 1 limit 40")
        first = walk.fetchmany(3)
        beside = connection.execute("select count(*) from operations.site").fetchone()
        return first, beside, walk.fetchall()


@client
def psycopg3_pipelines(at: Address) -> Any:
    """Several statements on their way at once."""
    with at.connect() as connection:
        with connection.pipeline():
            found = [connection.execute("select name from operations.site where site_id = %s", (number,)) for number in range(1, 6)]
        return [item.fetchall() for item in found]


@client
def psycopg3_copies(at: Address) -> Any:
    """Copies of totals: text, CSV, binary."""
    asked = "copy (select name, count(*) as n from operations.contractor group by name order by name) to stdout with (format {})"
    with at.connect() as connection:
        written = [b"".join(bytes(part) for part in _copied(connection, asked.format(kind))) for kind in ("text", "csv, header")]
        with connection.cursor().copy(asked.format("binary")) as copy:
            copy.set_types(["text", "int8"])
            return written, list(copy.rows())


def _copied(connection: psycopg.Connection, statement: str) -> list[Any]:
    with connection.cursor().copy(statement) as copy:
        return list(copy)


@client
def psycopg3_fails(at: Address) -> Any:
    """A failed transaction, a savepoint, and codes."""
    with at.connect() as connection:
        found = []
        for statement in ("select nothing from operations.site", "select 1", "selec 1"):
            try:
                connection.execute(statement)
            except psycopg.Error as error:
                found.append((error.sqlstate, error.diag.statement_position))
        connection.rollback()
        with connection.transaction():
            try:
                with connection.transaction():
                    connection.execute("select nothing from operations.site")
            except psycopg.Error as error:
                found.append(error.sqlstate)
            found.append(connection.execute("select 2").fetchone())
        return found


@client
def psycopg3_describes(at: Address) -> Any:
    """Columns told before any row: names and types."""
    with at.connect() as connection:
        cursor = connection.execute("select name, opened, count(*) as n, min(site_id) as least from operations.site group by name, opened limit 0")
        session = connection.execute("select current_database(), 1 as one, 'x'::text, true as yes, now() is null as no").fetchone()
        return [(column.name, column.type_code) for column in cursor.description or ()], session, connection.info.parameter_status("server_encoding")


@client
def psycopg2_asks(at: Address) -> Any:
    """Values in the text, a named cursor, a copy."""
    connection = psycopg2.connect(**at.words)
    try:
        cursor = connection.cursor()
        cursor.execute("select site_id, name from operations.site where name = %s or site_id in %s order by site_id", ("Beck Stones", (1, 2, 3)))
        found = cursor.fetchall()
        walk = connection.cursor("walk")
        walk.execute("select turbine_id from operations.turbine order by 1 limit 9")
        into = io.StringIO()
        fetched = walk.fetchmany(4), walk.fetchall()
        cursor.copy_expert("copy (select kind, count(*) from operations.site group by kind order by kind) to stdout csv header", into)
        return found, fetched, into.getvalue()
    finally:
        connection.close()


@client
def asyncpg_asks(at: Address) -> Any:
    """Binary both ways, a cursor, types of parameters, a pool."""

    async def ask() -> Any:
        where = {"host": at.host, "port": at.port, "user": at.user, "password": at.key, "database": at.database}
        pool = await asyncpg.create_pool(**where, min_size=2, max_size=4)
        counted = await asyncio.gather(*(pool.fetchval("select count(*) from operations.site where site_id < $1", most) for most in range(0, 60, 10)))
        async with pool.acquire() as connection:
            rows = [tuple(row) for row in await connection.fetch("select site_id, name, opened from operations.site where opened > $1 order by 1", _DAY)]
            statement = await connection.prepare("select name from operations.site where site_id = $1 and name <> $2")
            types = [item.name for item in statement.get_parameters()], [item.type.name for item in statement.get_attributes()]
            async with connection.transaction():
                cursor = await connection.cursor("select turbine_id from operations.turbine order by 1")
                walked = [tuple(row) for row in await cursor.fetch(3)] + [tuple(row) for row in await cursor.fetch(2)]
        await pool.close()
        return counted, rows, types, walked

    return asyncio.run(ask())


_DAY = __import__("datetime").date(2005, 1, 1)


@client
def sqlalchemy_reflects(at: Address) -> Any:
    """Relations as they are told to a program that maps them, and a join it writes."""
    engine = sqlalchemy.create_engine("postgresql+psycopg://", connect_args=at.words)
    found = sqlalchemy.inspect(engine)
    told = {
        name: (
            [(column["name"], str(column["type"]), column["nullable"]) for column in found.get_columns(name, schema="operations") if "." not in column["name"]][
                :4
            ],
            found.get_pk_constraint(name, schema="operations")["constrained_columns"],
            [(item["constrained_columns"], item["referred_table"], item["referred_columns"]) for item in found.get_foreign_keys(name, schema="operations")],
        )
        for name in ("site", "turbine")
    }
    meta = sqlalchemy.MetaData()
    turbine = sqlalchemy.Table("turbine", meta, autoload_with=engine, schema="operations")
    site = meta.tables["operations.site"]
    asked = (
        sqlalchemy.select(site.c.name, sqlalchemy.func.count(turbine.c.turbine_id).label("n"))
        .join_from(turbine, site, turbine.c.site_id == site.c.site_id)
        .group_by(site.c.name)
        .order_by(sqlalchemy.desc("n"), site.c.name)
        .limit(5)
    )
    with engine.connect() as connection:
        rows = [tuple(row) for row in connection.execute(asked)]
    engine.dispose()
    return told, rows, found.has_table("site", schema="operations"), found.has_table("nothing", schema="operations")


@client
def pandas_reads(at: Address) -> Any:
    """A question as a table."""
    engine = sqlalchemy.create_engine("postgresql+psycopg2://", connect_args=at.words)
    table = pandas.read_sql("select kind, count(*) as sites, min(opened) as first from operations.site group by kind order by kind", engine)
    engine.dispose()
    return table.to_csv()


@client
def adbc_asks(at: Address) -> Any:
    """Columns as they are, with the catalogues the driver reads when it connects."""
    address = f"postgresql://{at.user}:{at.key}@/{at.database}?host={at.host}&port={at.port}"
    with adbc.connect(address) as connection, connection.cursor() as cursor:
        cursor.execute("select kind, count(*) as sites, min(opened) as first from operations.site group by kind order by kind")
        found = cursor.fetch_arrow_table()
        return found.to_pydict(), [str(kind) for kind in found.schema.types]


@client
def odbc_asks(at: Address) -> Any:
    """The driver of Debian, through its manager."""
    if at.host.startswith("/"):
        # The driver comes by a port, and this server listens on a socket only: what it is asked is asked another way.
        with at.connect() as connection:
            rows = connection.execute("select site_id, name from operations.site where site_id < 6 order by site_id").fetchall()
            return ["|".join(map(str, row)) for row in rows]
    driver = next(Path("/usr/lib").glob("*/odbc/psqlodbcw.so"))
    with tempfile.TemporaryDirectory() as folder:
        settings = {"Driver": driver, "Servername": at.host, "Port": at.port, "Database": at.database, "Username": at.user, "Password": at.key}
        path = Path(folder) / "odbc.ini"
        path.write_text("[door]\n" + "".join(f"{name}={value}\n" for name, value in settings.items()))
        asked = "select site_id, name from operations.site where site_id < 6 order by site_id\n"
        made = subprocess.run(["isql", "-b", "-d|", "door"], input=asked, env={**os.environ, "ODBCINI": str(path)}, capture_output=True, text=True, timeout=60)
    return [line for line in made.stdout.splitlines() if "|" in line]


@client
def jdbc_asks(at: Address) -> Any:
    """The driver of Debian, with statements the server prepares, parts fetched, and the catalogues it reads."""
    if at.host.startswith("/"):
        return None
    return java(at)


def java(at: Address) -> str:
    """What the program beside this one prints."""
    address = f"jdbc:postgresql://{at.host}:{at.port}/{at.database}"
    command = ["java", "-cp", "/usr/share/java/postgresql.jar", str(HERE / "Ask.java"), address, at.user, at.key]
    made = subprocess.run(command, capture_output=True, text=True, timeout=120)
    assert made.returncode == 0, made.stderr
    return made.stdout


def psql(at: Address, *commands: str) -> str:
    """What psql prints, unaligned."""
    where = ["-h", at.host, "-p", str(at.port), "-U", at.user, "-d", at.database]
    given = [part for command in commands for part in ("-c", command)]
    made = subprocess.run(["psql", *where, "-X", "-A", "-q", *given], env={**os.environ, "PGPASSWORD": at.key}, capture_output=True, text=True, timeout=60)
    return made.stdout + made.stderr


__all__ = ["CLIENTS", "java", "psql", "tuple_row"]
