"""Millions of rows at once: COPY to a temporary table on Django's own connection, then one INSERT.

The one exception to the ORM (architecture.md, Budgets); columns and names come from the model.
"""

from collections.abc import Iterable
from typing import Any

from django.db import connection, models, transaction


def copy_rows(
    kind: type[models.Model], columns: list[str], rows: Iterable[tuple[Any, ...]], fresh: bool = False
) -> int:
    """Insert rows of the named columns, leaving out those whose key is there already. Returns how many were new.

    `fresh`: none of the keys can be there yet, so that rows go straight in; a key twice is then an error.
    """
    table = connection.ops.quote_name(kind._meta.db_table)
    names = ", ".join(connection.ops.quote_name(c) for c in columns)
    types = {f.column: f.db_type(connection) or "" for f in kind._meta.concrete_fields}
    with transaction.atomic(), connection.cursor() as cursor:
        if fresh:
            return _copy(cursor, table, columns, names, types, rows)
        cursor.execute(f"CREATE TEMPORARY TABLE incoming ON COMMIT DROP AS SELECT {names} FROM {table} WITH NO DATA")
        _copy(cursor, "incoming", columns, names, types, rows)
        cursor.execute(f"INSERT INTO {table} ({names}) SELECT {names} FROM incoming ON CONFLICT DO NOTHING")
        count = int(cursor.rowcount)
        cursor.execute("DROP TABLE incoming")
        return count


def _copy(
    cursor: Any, into: str, columns: list[str], names: str, types: dict[str, str], rows: Iterable[tuple[Any, ...]]
) -> int:
    count = 0
    with cursor.copy(f"COPY {into} ({names}) FROM STDIN (FORMAT BINARY)") as copy:
        copy.set_types([_copy_type(types[c]) for c in columns])
        for row in rows:
            copy.write_row(row)
            count += 1
    return count


def _copy_type(db_type: str) -> str:
    base = db_type.split("(")[0]
    return {
        "timestamp with time zone": "timestamptz",
        "double precision": "float8",
        "bigint": "int8",
        "smallint": "int2",
        "integer": "int4",
        "varchar": "text",
    }.get(base, base)
