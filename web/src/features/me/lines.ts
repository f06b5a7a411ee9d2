/** Lines to copy for programs that ask in one's name. */
export type Program = "psql" | "python" | "tables" | "java" | "odbc" | "http";

export const PROGRAMS: { value: Program; label: string }[] = [
  { value: "psql", label: "psql, on a command line" },
  { value: "python", label: "Python" },
  { value: "tables", label: "Python, tables of pandas" },
  { value: "java", label: "Java (JDBC)" },
  { value: "odbc", label: "Spreadsheets and others (ODBC)" },
  { value: "http", label: "HTTP, with a token" },
];

export type Door = { host: string; port: number; user: string; encrypted: boolean };

/** How one program asks a statement through the door, or over HTTP. The key is asked for, or stands in the environment as DOOR_KEY. */
export function lineFor(program: Program, sql: string, door: Door, origin: string): string {
  const { host, port, user } = door;
  const secure = door.encrypted ? "require" : "prefer";
  switch (program) {
    case "psql":
      return `psql "host=${host} port=${port} dbname=moorland user=${user} sslmode=${secure}" -c ${shell(sql)}`;
    case "python":
      return [
        "import os, psycopg",
        `with psycopg.connect(host="${host}", port=${port}, dbname="moorland", user="${user}", password=os.environ["DOOR_KEY"]) as door:`,
        `    rows = door.execute(${python(sql)}).fetchall()`,
      ].join("\n");
    case "tables":
      return [
        "import os, pandas, sqlalchemy",
        `door = sqlalchemy.URL.create("postgresql+psycopg", "${user}", os.environ["DOOR_KEY"], "${host}", ${port}, "moorland")`,
        `table = pandas.read_sql(${python(sql)}, sqlalchemy.create_engine(door))`,
      ].join("\n");
    case "java":
      return `jdbc:postgresql://${host}:${port}/moorland?user=${encodeURIComponent(user)}&sslmode=${secure}`;
    case "odbc":
      return `Driver={PostgreSQL Unicode};Server=${host};Port=${port};Database=moorland;Uid=${user};Pwd=…;SSLmode=${secure};`;
    case "http":
      return `curl -s ${origin}/api/my/sql -H "Authorization: Bearer $TOKEN" -H "Content-Type: application/json" -d ${shell(JSON.stringify({ sql }))}`;
  }
}

const shell = (text: string) => `'${text.replaceAll("'", "'\\''")}'`;
const python = (text: string) => (text.includes('"') ? `'''${text}'''` : `"${text}"`);
