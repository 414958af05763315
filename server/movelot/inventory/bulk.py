"""Many plain rows into a table at once.

Django's ``bulk_create`` takes about 0.25 ms a row here, most of it to prepare each value apart: an estate of 20,000
disks has more than 200,000 rows (docs/benchmarks.md). Rows of numbers, text, times and JSON need no such preparation.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

from django.db import connection
from django.db.models import DateTimeField, Field, JSONField, Model


def insert(
    model: type[Model], rows: Iterable[Mapping[str, Any]], update: Sequence[str] = (), keep: bool = False
) -> None:
    """Insert ``rows``, each with the same attribute names (``device_id`` for a foreign key); others get their default.

    A row whose unique key is there already gets the fields ``update`` of the new one, or stays as it is with ``keep``;
    without either such a row is an error.
    """
    listed = list(rows)
    if not listed:
        return
    fields = [field for field in model._meta.concrete_fields if not field.primary_key and not field.generated]
    given = [field for field in fields if field.attname in listed[0]]
    defaults = [field for field in fields if field.attname not in listed[0]]
    ways = [(field.attname, _way(field)) for field in given]
    rest = [_way(field)(field.get_default()) for field in defaults]
    values = [[*(way(row[name]) for name, way in ways), *rest] for row in listed]
    quote = connection.ops.quote_name
    columns = [quote(str(field.column)) for field in (*given, *defaults)]
    marks = ", ".join(["%s"] * len(columns))
    sql = f"INSERT INTO {quote(model._meta.db_table)} ({', '.join(columns)}) VALUES ({marks})"
    if update or keep:
        # A field set to what it is changes nothing.
        changed = [quote(str(field.column)) for field in fields if {field.name, field.attname} & set(update)]
        news = [f"{name}=VALUES({name})" for name in changed] or [f"{columns[0]}={columns[0]}"]
        sql += f" ON DUPLICATE KEY UPDATE {', '.join(news)}"
    with connection.cursor() as cursor:
        cursor.executemany(sql, values)


def _way(field: Field[Any, Any]) -> Callable[[Any], Any]:
    """What makes a field's value one that the driver takes."""
    if isinstance(field, JSONField):
        return _as_json
    return _as_utc if isinstance(field, DateTimeField) else _as_is


def _as_json(value: Any) -> str | None:
    # Nothing is NULL, not JSON's null.
    return None if value is None else json.dumps(value)


def _as_utc(value: datetime | None) -> datetime | None:
    return None if value is None else value.astimezone(UTC).replace(tzinfo=None)


def _as_is(value: Any) -> Any:
    return value
