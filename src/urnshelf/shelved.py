"""The records of a shelf: stocked, looked up, rolled back, saved in files and databases."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from contextlib import AbstractContextManager, contextmanager
from functools import partial
from typing import TYPE_CHECKING, Any, Literal, TypeVar, overload

from urnshelf.stocking import Stocking
from urnshelf.store.conditions import Condition
from urnshelf.store.definition import Definition
from urnshelf.store.journal import Savepoint
from urnshelf.store.own_errors import OwnError
from urnshelf.store.queries import Query
from urnshelf.store.stored import Store
from urnshelf.store.tables import Table

if TYPE_CHECKING:
    from collections.abc import Iterator
    from os import PathLike
    from pathlib import Path
    from uuid import UUID

    from urnshelf.urn.drawing import Urn
    from urnshelf.urn.families import Children
    from urnshelf.urn.variants import Variant

T = TypeVar("T")


class Shelved:
    """What a shelf does with records.

    Args:
        seed: what the urn's records are drawn from.
        defaults: how fields with a default are drawn.
    """

    def __init__(self, seed: int, defaults: Literal["drawn", "declared"] = "drawn") -> None:
        self.seed = seed
        self._store = Store(partial(_uuid_key, seed))
        self._stocking = Stocking(self._store, seed, defaults)

    @property
    def urn(self) -> Urn:
        """The urn that the shelf's records are drawn from: what `stock` puts there and what it
        draws are of one sequence, so a drawn record is never one of those on the shelf. Its links
        choose among the shelf's records.

        >>> shelf.urn.draw(Vessel).name
        'Silent Breaker'
        """
        return self._stocking.urn

    @overload
    def stock(
        self, what: type[T] | Variant[T], n: int, /, *children: Children, **fields: object
    ) -> list[T]: ...
    @overload
    def stock(self, what: type[T], n: Mapping[str, Any], /) -> T: ...
    @overload
    def stock(self, what: type[T] | Variant[T], n: None = None, /, **fields: object) -> T: ...
    @overload
    def stock(
        self, what: type[T] | Variant[T], n: None, /, *children: Children, **fields: object
    ) -> T: ...
    @overload
    def stock(self, what: Path, /) -> dict[str, list[Any]]: ...
    @overload
    def stock(self, what: list[T], /) -> list[T]: ...
    @overload
    def stock(self, what: T, /) -> T: ...
    def stock(
        self, what: object, n: object = None, /, *children: Children, **fields: object
    ) -> Any:
        """Put records on the shelf, drawn ones or your own: all of them, or none.

        A drawn record whose key, or a field that must be unique, is taken is passed over. What it
        refers to (`define(…, references=…)`, a mapped class's foreign keys) is chosen among the
        records on the shelf; where there are none, some are stocked first.

        Args:
            what: a record type, or a variant of one, to draw; a record of your own, or a list of
                them; the path of a plan file, whose tables are drawn.
            n: how many to draw; none for one; or a mapping of all fields for a record of your own.
            children: of each of them, `rules.children(Mooring, (0, 5), days=3)`, which are stocked
                with them.
            fields: as for `urn.draw`: a value, a rule, or a function of other fields for every
                drawn record.

        Returns:
            Copies of what was put there: a list where a number was given, one record otherwise; of
            a plan a list for each table, by its name.

        Raises:
            RecordRefused: a type that cannot be drawn, an unknown field, a value of another type
                than the field's, a key that is taken, or no more different keys.

        >>> from urnshelf import Shelf
        >>> from urnshelf.demo.harbour import Vessel
        >>> shelf = Shelf(seed=7)
        >>> [vessel.id for vessel in shelf.stock(Vessel, 3, flag="SE")]
        [1, 2, 3]
        """
        return self._stocking.stock(what, n, fields, children)

    def records(self, record_type: type[T]) -> Table[T]:
        """The shelf's records of one type.

        Args:
            record_type: the records' class.

        >>> _ = shelf.stock(Berth, 12, harbour="Ternhythe")
        >>> shelf.records(Berth).count(), shelf.records(Berth).get(3).harbour
        (12, 'Ternhythe')
        """
        return self._store.table(record_type)

    def define(
        self,
        record_type: type[T],
        *,
        key: str | Iterable[str] | None = None,
        unique: Iterable[str | Iterable[str]] = (),
        references: Mapping[str, type] | None = None,
        version: str | None = None,
        missing: OwnError | None = None,
        duplicate: OwnError | None = None,
        outdated: OwnError | None = None,
        interfaces: Iterable[object] = (),
    ) -> None:
        """Say how the records of a type are stored; before the first of them.

        Args:
            record_type: the records' class.
            key: the field that is the primary key, or several, where its name does not tell.
            unique: fields, or groups of fields, that no two records may have the same.
            references: a field, and the record type whose key it must hold.
            version: a field that each saving counts up; a record that was saved meanwhile cannot be
                saved again.
            missing: the exception that looking for a missing key raises: a class that is made with
                a message, or a function of the record type, the key and the message.
            duplicate: likewise, for a key or a unique field that is taken.
            outdated: likewise, for a record whose version is not the one on the shelf.
            interfaces: those whose methods are about these records, where nothing in them says so.

        Raises:
            RecordRefused: an unknown field, an exception that cannot be made so, or the shelf has
                records of this type already.

        >>> from urnshelf import Shelf
        >>> from urnshelf.demo.harbour import Berth, BerthUnknown
        >>> shelf = Shelf()
        >>> shelf.define(Berth, unique=["code"], missing=BerthUnknown)
        >>> shelf.records(Berth).get(3)
        Traceback (most recent call last):
        urnshelf.demo.harbour.errors.BerthUnknown: no Berth has id=3; on the shelf: none
        """
        definition = Definition(
            record_type, key=key, unique=unique, references=references, version=version,
            missing=missing, duplicate=duplicate, outdated=outdated,
        )  # fmt: skip
        self._store.define(definition, interfaces)

    def view(
        self,
        record_type: type[T],
        *conditions: Condition | Query[T] | Callable[[T], object],
        **fields: object,
    ) -> Table[T]:
        """Some of the records of a type: to who looks through it, `shelf.fake(I, view=…)`, the
        others are not there.

        Args:
            record_type: the records' class.
            conditions: comparisons such as `column("flag") == "SE"`, a query, or a function of the
                record.
            fields: a field and the value it must have.

        >>> from urnshelf import Shelf
        >>> from urnshelf.demo.harbour import Vessel, VesselRepository
        >>> shelf = Shelf(seed=7)
        >>> _ = shelf.stock(Vessel, 3, flag="SE"), shelf.stock(Vessel, 2, flag="NO")
        >>> swedish = shelf.view(Vessel, flag="SE")
        >>> as_user = shelf.fake(VesselRepository, name="as_user", view=swedish)
        >>> len(as_user.list()), as_user.find(5)
        (3, None)
        """
        self._store.check_own("shelf.view(…)")
        return Table(self._store.view(record_type).through(*conditions, **fields))

    def limited_to(self, *records: object) -> AbstractContextManager[None]:
        """A block in which only these records of their types are there, and those that are stored
        inside it.

        Args:
            records: records, lists of records, queries, and record types: of such a type, only what
                is stored inside.

        >>> from urnshelf import Shelf
        >>> from urnshelf.demo.harbour import Berth
        >>> shelf = Shelf(seed=7)
        >>> old, mine = shelf.stock(Berth, 40), shelf.stock(Berth, 2)
        >>> with shelf.limited_to(mine):
        ...     shelf.records(Berth).count()
        2
        """
        self._store.check_own("shelf.limited_to(…)")
        return self._store.limited_to(records)

    def savepoint(self) -> Savepoint:
        """A point to roll the records back to; the ledger, cues, clock and urn go on.

        >>> before = shelf.savepoint()
        >>> _ = shelf.stock(Berth, 3)
        >>> shelf.roll_back_to(before)
        >>> shelf.records(Berth).count()
        0
        """
        self._store.check_own("a savepoint")
        return self._store.journal.savepoint()

    def roll_back_to(self, point: Savepoint) -> None:
        """Take every change of records since the savepoint back.

        >>> _ = shelf.stock(Berth, 3)
        >>> before = shelf.savepoint()
        >>> shelf.records(Berth).remove(2)
        True
        >>> shelf.roll_back_to(before)
        >>> shelf.records(Berth).find(2) is None
        False
        """
        self._store.journal.roll_back_to(point)

    @contextmanager
    def rolled_back(self) -> Iterator[None]:
        """A block whose changes of records are taken back at its end.

        >>> from urnshelf import Shelf
        >>> from urnshelf.demo.harbour import Berth
        >>> shelf = Shelf(seed=7)
        >>> with shelf.rolled_back():
        ...     _ = shelf.stock(Berth, 3)
        >>> shelf.records(Berth).count()
        0
        """
        point = self.savepoint()
        try:
            yield
        finally:
            self.roll_back_to(point)

    def save(self, path: str | PathLike[str], format: str = "") -> None:
        """Write all records to a `.json` file, or to a directory.

        Args:
            path: the file, or the directory.
            format: for a directory `"csv"`, `"jsonl"` or `"parquet"`; JSON Lines when not given.

        Raises:
            FileRefused: it cannot be written.

        >>> from tempfile import mkdtemp
        >>> _ = shelf.stock(Berth, 3)
        >>> shelf.save(f"{mkdtemp()}/berths.json")
        """
        from urnshelf.files.shelves import save

        self._store.check_own("shelf.save(…)")
        save(self._store, path, format)

    def load(self, path: str | PathLike[str], *record_types: type) -> None:
        """Put the records of a saved file or directory on the shelf: all of them, or none.

        Args:
            path: what `save` wrote.
            record_types: the classes of the records in it.

        Raises:
            FileRefused: a broken or foreign file, or a record that cannot be stored, with its file,
                line and field.

        >>> import tempfile
        >>> from urnshelf import Shelf
        >>> from urnshelf.demo.harbour import Berth
        >>> shelf, other = Shelf(seed=7), Shelf()
        >>> _ = shelf.stock(Berth, 3)
        >>> with tempfile.TemporaryDirectory() as folder:
        ...     shelf.save(f"{folder}/harbour.json")
        ...     other.load(f"{folder}/harbour.json", Berth)
        >>> list(other.records(Berth)) == list(shelf.records(Berth))
        True
        """
        from urnshelf.files.shelves import load

        self._store.check_own("shelf.load(…)")
        load(self._store, path, record_types)

    def save_sql(self, url: str) -> None:
        """Write all records to a database, a table for each type; through SQLAlchemy.

        Args:
            url: a database URL such as `sqlite:///harbour.db`. Tables of the same names are
                replaced.

        Raises:
            FileRefused: the database cannot be opened, or SQLAlchemy is not installed.

        >>> from tempfile import mkdtemp
        >>> url = f"sqlite:///{mkdtemp()}/harbour.db"
        >>> _ = shelf.stock(Berth, 3)
        >>> shelf.save_sql(url)
        >>> other = Shelf()
        >>> other.load_sql(url, Berth)
        >>> other.records(Berth).count()
        3
        """
        from urnshelf.files.databases import save_sql

        self._store.check_own("shelf.save_sql(…)")
        save_sql(self._store, url)

    def load_sql(
        self,
        url: str,
        record_type: type,
        *,
        where: Condition | None = None,
        table: str | None = None,
    ) -> None:
        """Put the rows of a database's table on the shelf: all of them, or none; through
        SQLAlchemy.

        Args:
            url: a database URL.
            record_type: the records' class; columns are matched with its fields by name.
            where: which rows.
            table: the table's name; that of the type, or its plural, when not given.

        Raises:
            FileRefused: no such table or column, or a row that is no record.

        >>> import tempfile
        >>> from urnshelf import Shelf, column
        >>> from urnshelf.demo.harbour import Berth
        >>> shelf, other = Shelf(seed=7), Shelf()
        >>> _ = shelf.stock(Berth, 5)
        >>> with tempfile.TemporaryDirectory() as folder:
        ...     shelf.save_sql(f"sqlite:///{folder}/harbour.db")
        ...     other.load_sql(f"sqlite:///{folder}/harbour.db", Berth, where=column("id") > 3)
        >>> [berth.id for berth in other.records(Berth)]
        [4, 5]
        """
        from urnshelf.files.databases import load_sql

        self._store.check_own("shelf.load_sql(…)")
        load_sql(self._store, url, record_type, where, table)


def _uuid_key(seed: int, record_type: type, number: int) -> UUID:
    from urnshelf.urn.mixing import uuid_key

    return uuid_key(seed, record_type, number)
