"""The names types go by in statements, and their numbers in the protocol."""

TYPE_NAMES = {
    "bool": 16, "boolean": 16, "int8": 20, "bigint": 20, "int2": 21, "smallint": 21, "int4": 23, "int": 23, "integer": 23, "text": 25, "varchar": 1043,
    "float4": 700, "real": 700, "float8": 701, "double": 701, "date": 1082, "timestamp": 1114, "timestamptz": 1184, "numeric": 1700, "decimal": 1700, "uuid": 2950,
}  # fmt: skip
