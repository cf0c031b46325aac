"""Putting records on the shelf: drawn ones, or the user's own."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from os import PathLike
from os.path import basename
from typing import TYPE_CHECKING, Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.records.recognising import description_of
from urnshelf.store.stored import Store
from urnshelf.urn.variants import Variant, merged

if TYPE_CHECKING:
    from urnshelf.urn.drawing import Urn

PARENTS = 10
"""How many records are stocked at the most because others refer to them."""


class Stocking:
    """Puts records on one shelf.

    Args:
        store: where they go.
        seed: what they are drawn from.
        defaults: how fields with a default are drawn.
    """

    def __init__(self, store: Store, seed: int, defaults: Any) -> None:
        self._store = store
        self._seed = seed
        self._defaults = defaults
        self._dealt: dict[tuple[Any, Any], int] = {}
        """To how many parents of a type children of another one were dealt."""

    @cached_property
    def urn(self) -> Urn:
        """The urn, made when it is first needed: many tests draw nothing."""
        from urnshelf.urn.drawing import Urn

        return Urn(self._seed, defaults=self._defaults, _around=self._store)

    def stock(self, what: Any, n: Any, fields: dict[str, Any], below: tuple[Any, ...] = ()) -> Any:
        """Records of a type, drawn, or the user's own: all of them, or none."""
        if isinstance(what, Variant):
            what, fields = what.form, merged(what.form, what.fields, fields)
        if n is None and not fields and description_of(type(what)) is not None:
            with self._store.lock:  # one record is stored whole, or not at all
                return self._own(what)
        with self._store.lock, self._store.journal.together():
            found = self._stocked(what, n, fields)
            if below:
                _check_children(what, below)
                self._with_children(what, found if isinstance(found, list) else [found], below)
            return found

    def _of_plan(self, file: PathLike[str]) -> dict[str, list[Any]]:
        """The records of all tables of a plan file."""
        from pathlib import Path  # few tests have one

        from urnshelf.files.plan_file import read_plan

        path, found = Path(file), {}
        for table in read_plan(path).tables.values():
            if isinstance(table.what, Mapping):
                raise RecordRefused(
                    f"stock({path.name}): the table {table.name!r} has a JSON Schema, and the "
                    "shelf holds records of types; give it a type, or rules alone"
                )
            view = self._store.view(table.what)
            found[table.name] = [view.add(one) for some in table.chunks() for one in some]
        return found

    def _stocked(self, what: Any, n: Any, fields: dict[str, Any]) -> Any:
        if isinstance(what, PathLike):
            if n is not None or fields:
                raise RecordRefused(
                    f"stock({basename(what)}, …): a plan file tells the counts and rules itself"
                )
            return self._of_plan(what)
        if isinstance(n, Mapping):
            return self._store.view(what).add(what(**n))
        if isinstance(what, type):
            _check_count(what, n)
            drawn = self._draw(what, 1 if n is None else n, fields, ())
            return drawn[0] if n is None else drawn
        if n is None and not fields and isinstance(what, (list, tuple)):
            return [self._own(one) for one in what]
        raise RecordRefused(
            "stock() takes a record type and a number, or one record or a list of them alone, not "
            f"{show(what)}"
        )

    def _with_children(self, parent: Any, records: list[Any], below: tuple[Any, ...]) -> None:
        """Stock the children of these parents, and theirs."""
        from urnshelf.urn.families import parent_field  # few stock families
        from urnshelf.urn.mixing import key_of

        of: Any = description_of(parent)
        for family in below:
            child: Any = description_of(family.form)
            links = self._store.links(family.form)
            name, key = parent_field(child, of, self._store.key_of(parent), links, family.field)
            dealing = family.dealing(key_of(self._seed, of.full_name, child.full_name, name))
            begin = self._dealt.get((parent, family.form), 0)
            self._dealt[parent, family.form] = begin + len(records)
            made: list[Any] = []
            for number, record in enumerate(records, begin):
                named = record if key is None else of.fetch(record, key)
                many = len(dealing.children(number))
                made += self._draw(family.form, many, {**family.fields, name: named}, ())
            if family.below and made:
                self._with_children(family.form, made, family.below)

    def _own(self, record: Any) -> Any:
        if description_of(type(record)) is None:
            raise RecordRefused(f"stock([…]): {show(record)} is no record")
        return self._store.view(type(record)).add(record)

    def _draw(
        self, record_type: Any, n: int, fields: dict[str, Any], waiting: tuple[Any, ...]
    ) -> list[Any]:
        """Draw on where the last drawing of this type ended, after what it refers to."""
        view = self._store.view(record_type)
        for field, parent in self.urn._referring(record_type, fields).items():
            if n and parent is not record_type and not self._store.count(parent):
                if parent in waiting:
                    raise RecordRefused(
                        f"{view.name}.{field} refers to a {parent.__name__}, and that to a "
                        f"{view.name}: stock one of them first, or give {field}=rules.link(…)"
                    )
                self._draw(parent, min(n, PARENTS), {}, (*waiting, record_type))
        return self.urn._stocked(record_type, n, fields, view)


def _check_children(what: Any, below: tuple[Any, ...]) -> None:
    from urnshelf.urn.families import Children

    wrong = next((one for one in below if not isinstance(one, Children)), None)
    if wrong is not None or not isinstance(what, type):
        raise RecordRefused(
            f"stock({show(what, 40)}, …, {show(wrong, 40)}): after a type and a number stand "
            "children of these records, rules.children(…)"
        )


def _check_count(record_type: Any, n: object) -> None:
    if n is not None and (isinstance(n, bool) or not isinstance(n, int) or n < 0):
        raise RecordRefused(
            f"stock({record_type.__name__}, {show(n, 40)}): the number of records is a whole "
            "number from 0"
        )
