"""The rows that a query of a database gives."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ...records import OutsideError, SourceError, optional
from ...settings import without_password

_AT_ONCE = 1000


def rows_of_query(address: str, query: str, where: str) -> Iterator[dict[str, Any]]:
    """The rows of a query, in the database's order, read some at a time.

    The transaction is rolled back, so that a query which writes leaves nothing.

    Parameters
    ----------
    address : str
        A database URL, ``sqlite:///harbour.db`` or ``postgresql+psycopg://…``.

    Raises
    ------
    OutsideError
        The database cannot be reached, or goes away in the middle.
    SourceError
        The query is wrong, or the address is.
    """
    sqlalchemy = optional("sqlalchemy", "database", "reading a database")
    shown = without_password(address)
    try:
        engine = sqlalchemy.create_engine(_with_driver(address), pool_pre_ping=False)
    except (sqlalchemy.exc.ArgumentError, sqlalchemy.exc.NoSuchModuleError, ImportError) as error:
        raise SourceError(
            f"not a database that can be read: {_first_line(error)}",
            where,
            "write it as sqlite:///file or postgresql://user@host/name",
        ) from None
    try:
        with engine.connect() as connection:
            result = connection.execution_options(stream_results=True).execute(
                sqlalchemy.text(query)
            )
            for row in result.yield_per(_AT_ONCE).mappings():
                yield dict(row)
            connection.rollback()
    except (sqlalchemy.exc.OperationalError, sqlalchemy.exc.InterfaceError) as error:
        wrong = "no such table" in str(error) or "no such column" in str(error)
        if wrong or "syntax error" in str(error):
            raise _wrong(error, where) from None
        raise OutsideError(
            f"the database cannot be read: {_first_line(error.orig)}", shown, "is it up?"
        ) from None
    except sqlalchemy.exc.SQLAlchemyError as error:
        raise _wrong(error, where) from None
    finally:
        engine.dispose()


def _with_driver(address: str) -> str:
    """An address with the PostgreSQL driver named that the extra installs."""
    scheme, mark, rest = address.partition("://")
    named = {"postgresql": "postgresql+psycopg", "postgres": "postgresql+psycopg"}
    return f"{named.get(scheme, scheme)}{mark}{rest}"


def _wrong(error: Any, where: str) -> SourceError:
    return SourceError(
        f"the query is wrong: {_first_line(getattr(error, 'orig', None) or error)}",
        where,
        "mend `query`",
    )


def _first_line(error: object) -> str:
    return str(error).strip().splitlines()[0] if str(error).strip() else type(error).__name__
