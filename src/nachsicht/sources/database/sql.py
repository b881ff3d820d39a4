"""A table or a query of a database, by its SQLAlchemy address; read in one transaction."""

from __future__ import annotations

import difflib
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing, contextmanager
from functools import cache, partial
from pathlib import Path
from typing import Any

import msgspec
import pyarrow as pa

from nachsicht.config.settings import ReadOptions
from nachsicht.errors import NachsichtError, SourceNotFoundError, UnreadableSourceError
from nachsicht.i18n import phrase
from nachsicht.model.dataset_schema import ColumnDescription, Description
from nachsicht.sources.database.adbc import RANGE_ROWS, has_driver, key_ranges, reader_for
from nachsicht.sources.database.aggregates import BACKENDS, DatabaseTable
from nachsicht.sources.database.values import ColumnTypes
from nachsicht.sources.protocol import Opened, Restart, SourceFacts

#: Rows of a batch, and about how many bytes a cell takes.
BATCH_ROWS = 1 << 16
_CELL = 24
#: Databases that can hold a transaction to one state of the data.
_REPEATABLE = ("postgresql", "mysql", "mariadb")
#: Databases whose dialect cannot describe tables with every current SQLAlchemy.
_UNDESCRIBED = ("duckdb",)
#: What forbids them to change anything, as the first word of a connection.
_READ_ONLY = {"postgresql": "set transaction read only", "sqlite": "pragma query_only = on"}


class DatabaseSource(msgspec.Struct, frozen=True):
    """What ``reading.table`` or ``reading.query`` names, at an address such as sqlite:///a.db."""

    address: str
    reading: ReadOptions

    @property
    def label(self) -> str:
        """The table's name, else that of the database."""
        database = str(self._url.database or "")
        return self.reading.table or database.rpartition("/")[2].split(".")[0] or "query"

    @property
    def _url(self) -> Any:
        try:
            from sqlalchemy.engine import make_url
            from sqlalchemy.exc import ArgumentError
        except ImportError as error:
            raise UnreadableSourceError(
                "no_sqlalchemy", where=self.address.partition(":")[0]
            ) from error
        try:
            return make_url(self.address)
        except ArgumentError:
            raise UnreadableSourceError(
                "bad_database_address", where=self.address.partition(":")[0]
            ) from None

    @property
    def _shown(self) -> str:
        """Kind, host, database and table; never a user or a password."""
        url = self._url
        place = f"{url.host}/{url.database}" if url.host else f"{url.database}"
        return f"{url.get_backend_name()} {place}: {self.reading.table or 'query'}"

    def open(self) -> Opened:
        """Find the columns and the number of rows."""
        if self.reading.table and self.reading.query:
            raise UnreadableSourceError("no_table_or_query", where=self._shown)
        self._check_file()
        if not self.reading.table and not self.reading.query:
            reading = msgspec.structs.replace(self.reading, table=self._only_table())
            return msgspec.structs.replace(self, reading=reading).open()
        with self._connection() as connection:
            statement = self._statement(connection)
            description = self._description(connection)
            # No more than its first rows come over, to tell the columns.
            first = connection.execution_options(stream_results=True).execute(statement)
            names = list(first.keys())
            first.close()
            rows = int(connection.execute(self._counting(statement)).scalar_one())
            ends = self._key_ends(connection, statement, description, rows)
        texts = self._texts(statement, ends, rows)
        fast = cache(lambda: self._fast_batches(texts))  # connects where rows are read indeed
        facts = SourceFacts(self._shown, self._url.get_backend_name(), None)
        columns = ColumnTypes()
        bytes_of_a_row = _CELL * max(len(names), 1)

        def batches() -> Iterator[tuple[Any, int]]:
            done = 0
            for batch in read() if (read := fast()) else self._batches(columns):
                done += batch.num_rows
                yield batch, done * bytes_of_a_row

        def table() -> Any:
            while True:
                try:
                    return pa.Table.from_batches([batch for batch, _ in batches()])
                except Restart:
                    continue

        size = rows * bytes_of_a_row
        known = self._url.get_backend_name() in BACKENDS
        database = partial(self._in_database, names) if known else None
        return Opened(facts, size, table, batches, description=description, database=database)

    def _only_table(self) -> str:
        """The one table that there is.

        Raises
        ------
        UnreadableSourceError
            If there are several, which are named, or none.
        """
        import sqlalchemy as sql

        with self._connection() as connection:
            known = sql.inspect(connection).get_table_names()
        if len(known) == 1:
            return str(known[0])
        raise UnreadableSourceError(
            "no_table_or_query",
            where=self._shown,
            todo=phrase("hints.known_are", names=", ".join(map(str, known))) if known else "",
        )

    @contextmanager
    def _in_database(self, names: Sequence[str]) -> Iterator[DatabaseTable]:
        """The rows, which have columns of these names, to be asked of; in one transaction."""
        import sqlalchemy as sql

        if twice := [name for name in names if names.count(name) > 1]:
            raise UnreadableSourceError("same_name", where=self._shown, name=twice[0])

        ours: Exception | None = None
        with self._connection() as connection:
            statement = self._statement(connection)
            description = self._description(connection)
            if self.reading.query:
                statement = statement.columns(*(sql.column(name) for name in names))
            asked = statement.subquery("asked")
            key = description.key[0] if description and len(description.key) == 1 else None
            try:
                yield DatabaseTable(connection, asked, names, key)
            except sql.exc.SQLAlchemyError:
                raise
            except Exception as error:  # no fault of the database
                ours = error
        if ours:
            raise ours

    def _fast_batches(self, statements: Sequence[str]) -> Callable[[], Iterator[Any]] | None:
        """Reads through the ADBC driver, where it is there and knows all types; else None."""
        if not has_driver(self._url.get_backend_name()):
            return None
        plain = self._url.set(drivername=self._url.get_backend_name())
        address = plain.render_as_string(hide_password=False)
        columns = f"select * from ({statements[0]}) as asked limit 0"  # noqa: S608
        with self._told_in_our_words():
            reader = reader_for(address, columns)
        if reader is None:
            return None

        def batches() -> Iterator[Any]:
            with self._told_in_our_words():
                yield from reader.batches(statements)

        return batches

    def _key_ends(
        self, connection: Any, statement: Any, description: Description | None, rows: int
    ) -> tuple[Any, int, int] | None:
        """The key of a large table with its ends, if it is one column of whole numbers."""
        import sqlalchemy as sql

        if description is None or len(description.key) != 1 or rows < 2 * RANGE_ROWS:
            return None
        key: Any = sql.column(description.key[0])
        ends = sql.select(sql.func.min(key), sql.func.max(key))
        low, high = connection.execute(ends.select_from(statement.subquery())).one()
        return (key, low, high) if isinstance(low, int) and isinstance(high, int) else None

    def _texts(self, statement: Any, ends: tuple[Any, int, int] | None, rows: int) -> list[str]:
        """The statement as it is sent to the fast driver: one for each range of the key."""
        from sqlalchemy.dialects import postgresql

        if self.reading.query:
            return [self.reading.query.strip().rstrip(";")]
        # No sign of the text stands for a parameter then, and none is doubled.
        dialect = postgresql.dialect(paramstyle="named")  # type: ignore[no-untyped-call]
        parts = [statement]
        if ends:
            key, low, high = ends
            ranges = key_ranges(low, high, rows)
            parts = [statement.where(key.between(*part)).order_by(key) for part in ranges]
        return [
            str(part.compile(dialect=dialect, compile_kwargs={"literal_binds": True}))
            for part in parts
        ]

    def _batches(self, columns: ColumnTypes) -> Iterator[Any]:
        with self._connection() as connection:
            statement = self._statement(connection)
            result = connection.execution_options(
                stream_results=True, max_row_buffer=BATCH_ROWS
            ).execute(statement)
            with closing(result):  # also where the connection dropped
                names = list(result.keys())
                empty = True
                for part in result.partitions(BATCH_ROWS):
                    empty = False
                    yield columns.batch(names, list(zip(*part, strict=True)))
                if empty:
                    yield columns.batch(names, [() for _ in names])

    def _statement(self, connection: Any) -> Any:
        import sqlalchemy as sql

        if self.reading.query:
            return sql.text(self.reading.query)
        schema, _, name = str(self.reading.table).rpartition(".")
        inspector = sql.inspect(connection)
        known = [
            *inspector.get_table_names(schema or None),
            *inspector.get_view_names(schema or None),
        ]
        if name not in known:
            near = difflib.get_close_matches(name, known, n=1)
            raise SourceNotFoundError(
                "no_table",
                where=self._shown,
                todo=phrase("hints.did_you_mean", name=near[0])
                if near
                else phrase("hints.known_are", names=", ".join(known)),
                name=name,
            )
        table = sql.table(name, schema=schema or None)
        # Not every dialect can describe a table, but all can read one.
        found = connection.execute(sql.select(sql.text("*")).select_from(table).limit(0)).keys()
        return sql.select(*(sql.column(column) for column in found)).select_from(table)

    def _description(self, connection: Any) -> Description | None:
        """What the database itself says of a table: comments, and what it holds the columns to."""
        import sqlalchemy as sql

        if self.reading.query or self._url.get_backend_name() in _UNDESCRIBED:
            return None
        schema, _, name = str(self.reading.table).rpartition(".")
        inspector = sql.inspect(connection)
        known = inspector.get_columns(name, schema or None)
        try:
            key = inspector.get_pk_constraint(name, schema or None)["constrained_columns"]
        except NotImplementedError:  # not every database tells of keys
            key = []
        columns = tuple(
            ColumnDescription(
                name=column["name"],
                text=column.get("comment") or "",
                required=not column.get("nullable", True),
                unique=key == [column["name"]],
            )
            for column in known
        )
        return Description(source=self._shown, columns=columns, key=tuple(key))

    def _counting(self, statement: Any) -> Any:
        import sqlalchemy as sql

        if self.reading.query:
            # The query is the user's own, and cannot change anything.
            inner = self.reading.query.strip().rstrip(";")
            return sql.text(f"select count(*) from ({inner}) as counted")  # noqa: S608
        return sql.select(sql.func.count()).select_from(statement.subquery())

    def _check_file(self) -> None:
        """SQLite would make a file that is not there."""
        database = self._url.database
        plain = database and database != ":memory:" and not database.startswith("file:")
        if self._url.get_backend_name() == "sqlite" and plain and not Path(database).is_file():
            raise SourceNotFoundError("no_database_file", where=self._shown)

    @contextmanager
    def _connection(self) -> Iterator[Any]:
        """A connection in one transaction that sees one state of the data and changes none."""
        import sqlalchemy as sql

        backend = self._url.get_backend_name()
        options: dict[str, Any] = {"hide_parameters": True}
        if backend == "duckdb" and self._url.database not in (None, "", ":memory:"):
            options["connect_args"] = {"read_only": True}
        if backend in _REPEATABLE:
            options["isolation_level"] = "REPEATABLE READ"
        engine = None
        with self._told_in_our_words():
            try:
                engine = sql.create_engine(self._url, **options)
                with engine.connect() as connection:
                    if backend in _READ_ONLY:
                        connection.execute(sql.text(_READ_ONLY[backend]))
                    yield connection
                    connection.rollback()
            finally:
                if engine is not None:
                    engine.dispose()

    @contextmanager
    def _told_in_our_words(self) -> Iterator[None]:
        """Errors of drivers without the address, which they may hold."""
        try:
            yield
        except (NachsichtError, Restart, GeneratorExit):
            raise
        except Exception as error:
            message = str(getattr(error, "orig", None) or type(error).__name__).splitlines()[0]
            if self._url.password:
                message = message.replace(str(self._url.password), "…")
            raise UnreadableSourceError(
                "database_not_read", where=self._shown, message=message
            ) from None
