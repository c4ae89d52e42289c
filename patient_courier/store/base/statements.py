"""Statements compiled once: SQLAlchemy's own compiler and types, run on the cursor of the session's own connection.

What is asked with every event costs more to put together than to ask. Here the text and the types are worked out when the
module is read; after that a question is a call of the driver (SQLAlchemy's documentation, “Working with Driver SQL and Raw
DBAPI Connections”). It happens inside the session's transaction. Lists go in as one JSON text (SQLite's documentation,
``json_each``), so the text of a statement never changes. Errors are the driver's (``sqlite3.Error``).

Held by a test that asks each of them both ways (``tests/store/base/test_statements.py``).
"""

from __future__ import annotations

import json
from collections import namedtuple
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from typing import Any

from sqlalchemy import BindParameter, ColumnElement, Connection, Text, bindparam, func, select
from sqlalchemy.dialects import sqlite
from sqlalchemy.engine import Dialect
from sqlalchemy.orm import Session
from sqlalchemy.sql.dml import UpdateBase
from sqlalchemy.sql.selectable import SelectBase
from sqlalchemy.types import TypeDecorator, TypeEngine

_DIALECT: Dialect = sqlite.dialect(paramstyle="named")
Process = Callable[[Any], Any]


class _ListText(TypeDecorator[Collection[Any]]):
    """A list of numbers or texts as JSON text."""

    impl = Text
    cache_ok = True

    def process_bind_param(self, value: Collection[Any] | None, dialect: Dialect) -> str:
        return json.dumps(list(value or ()))


def given(name: str, type_: Any = None) -> BindParameter[Any]:
    """A parameter of a statement."""
    return bindparam(name, None, type_=type_)


def one_of(column: Any, name: str) -> ColumnElement[bool]:
    """Whether the column is one of a list that is given under this name."""
    values = func.json_each(given(name, _ListText())).table_valued("value")
    found: ColumnElement[bool] = column.in_(select(values.c.value))
    return found


class Statement:
    """One statement, made ready. Its parameters are given by name."""

    def __init__(self, statement: SelectBase | UpdateBase) -> None:
        self.statement = statement
        compiled = statement.compile(dialect=_DIALECT, compile_kwargs={"render_postcompile": True})
        self.text = str(compiled)
        processes = {name: _in(bind.type) for bind, name in compiled.bind_names.items()}
        # Values that stand in the statement itself, and parameters that are given with each call.
        fixed = {name: value for name, value in compiled.params.items() if value is not None}
        self._fixed = {name: _through(processes.get(name), value) for name, value in fixed.items()}
        # What is given by name with each call.
        self.parameters = sorted(name for name in processes if name not in fixed and name in compiled.params)
        self._given = [(name, process) for name, process in processes.items() if process is not None]
        self._out: list[tuple[int, Process]] = []
        self._row: Any = None
        if isinstance(statement, SelectBase):
            columns = list(statement.selected_columns)
            names = [getattr(column, "key", None) or "_" for column in columns]
            self._row = _row_of(names)
            self._out = [
                (place, process)
                for place, column in enumerate(columns)
                if (process := _from(column.type)) is not None
            ]

    def rows(self, session: Session | Connection, **values: Any) -> list[Any]:
        """Every row, as a named tuple of the columns."""
        found = self._ask(session, values).fetchall()
        return [self._row._make(self._read(row)) for row in found]

    def first(self, session: Session | Connection, **values: Any) -> Any:
        """The first row, or None."""
        row = self._ask(session, values).fetchone()
        return None if row is None else self._row._make(self._read(row))

    def scalar(self, session: Session | Connection, **values: Any) -> Any:
        """The first column of the first row, or None."""
        row = self._ask(session, values).fetchone()
        return None if row is None else self._read(row)[0]

    def run(self, session: Session | Connection, **values: Any) -> int:
        """Do it once; returns how many rows it has changed."""
        done: int = self._ask(session, values).rowcount
        return done

    def run_many(self, session: Session | Connection, rows: Iterable[Mapping[str, Any]]) -> None:
        """Do it for each of the rows, which hold all parameters."""
        _cursor(session).executemany(self.text, [self._parameters(row) for row in rows])

    def _ask(self, session: Session | Connection, given: Mapping[str, Any]) -> Any:
        return _cursor(session).execute(self.text, self._parameters(given))

    def _parameters(self, given: Mapping[str, Any]) -> dict[str, Any]:
        found = {**self._fixed, **given}
        for name, process in self._given:
            if name in given:
                found[name] = process(given[name])
        return found

    def _read(self, row: Sequence[Any]) -> Sequence[Any]:
        if not self._out:
            return row
        values = list(row)
        for place, process in self._out:
            values[place] = process(values[place])
        return values


def _row_of(names: list[str]) -> Any:
    return namedtuple("Row", names, rename=True)


def _cursor(session: Session | Connection) -> Any:
    connection = session if isinstance(session, Connection) else session.connection()
    return connection.connection.cursor()


def _in(type: TypeEngine[Any]) -> Process | None:
    return type.dialect_impl(_DIALECT).bind_processor(_DIALECT)


def _from(type: TypeEngine[Any]) -> Process | None:
    return type.dialect_impl(_DIALECT).result_processor(_DIALECT, None)


def _through(process: Process | None, value: Any) -> Any:
    return process(value) if process else value
