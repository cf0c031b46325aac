"""What a test declares by annotations: fakes, services built with fakes, records, on the parameters
of a test or on the fields of a test class.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Annotated, Any, Protocol, TypeAlias, TypeVar, get_args, get_origin

from urnshelf.errors import InterfaceRefused, RecordRefused
from urnshelf.types.annotations import is_partly_unknown
from urnshelf.types.forms import type_name

T = TypeVar("T")


class Maker(Protocol):
    """What is asked of a shelf."""

    def fake(self, interface: Any, name: str | None = None) -> Any:
        """The fake of an interface."""

    def furnish(self, service: Any, /, **given: Any) -> Any:
        """A service, built with fakes."""

    def stock(self, what: Any, n: Any = None, /, **fields: Any) -> Any:
        """Records, put on the shelf."""


class Declaration:
    """What is to be made for an annotated name.

    Args:
        order: those of a lower one are made first.
    """

    order = 0

    def make(self, form: Any, shelf: Maker) -> Any:
        """The value; raises an error of ours for a type of which there is none.

        Args:
            form: the annotated type.
            shelf: the test's.
        """
        raise NotImplementedError


class _Faked(Declaration):
    def __init__(self, name: str | None) -> None:
        self._name = name

    def make(self, form: Any, shelf: Maker) -> Any:
        return shelf.fake(form, self._name)


class _Stocked(Declaration):
    order = 1

    def __init__(self, n: int | None, fields: dict[str, Any]) -> None:
        self._n = n
        self._fields = fields

    def make(self, form: Any, shelf: Maker) -> Any:
        is_list = get_origin(form) in (list, Sequence)
        if is_list is not (self._n is not None):
            wanted = f"Annotated[list[{type_name(form)}], stocked({self._n})]"
            if is_list:
                wanted = f"Annotated[{type_name(form)}, stocked(12)]"
            raise RecordRefused(f"so many records are a list, and one is none: {wanted}")
        if self._n is None:
            return shelf.stock(form, **self._fields)
        return shelf.stock(get_args(form)[0], self._n, **self._fields)


class _Furnished(Declaration):
    order = 2

    def __init__(self, given: dict[str, Any]) -> None:
        self._given = given

    def make(self, form: Any, shelf: Maker) -> Any:
        return shelf.furnish(form, **self._given)


def faked(name: str | None = None) -> Any:
    """In an annotation: the test's fake of this interface, `Annotated[TideService,
    faked("backup")]`; without a name `Faked[TideService]` is shorter.

    Args:
        name: for a second fake of one interface.

    >>> from typing import Annotated
    >>> form = Annotated[TideService, faked("backup")]
    >>> made_for({"tides": form}, shelf)
    {'tides': <fake TideService 'backup'>}
    """
    return _Faked(name)


def furnished(**given: object) -> Any:
    """In an annotation: the service, built with the test's fakes, `Annotated[MooringDesk,
    furnished(margin_m=0.5)]`; where nothing is given `Furnished[MooringDesk]` is shorter.

    Args:
        given: arguments of your own, as for `shelf.furnish`.

    >>> form = Furnished[MooringDesk]
    >>> type(made_for({"desk": form}, shelf)["desk"]).__name__
    'MooringDesk'
    """
    return _Furnished(given)


def stocked(n: int | None = None, /, **fields: object) -> Any:
    """In an annotation: records, put on the test's shelf before any service is built,
    `Annotated[list[Vessel], stocked(12, harbour="Ternhythe")]`.

    Args:
        n: how many; none for one record.
        fields: as for `shelf.stock`.

    >>> from typing import Annotated
    >>> form = Annotated[list[Berth], stocked(2, harbour="Ternhythe")]
    >>> [berth.harbour for berth in made_for({"berths": form}, shelf)["berths"]]
    ['Ternhythe', 'Ternhythe']
    """
    return _Stocked(n, fields)


Faked: TypeAlias = Annotated[T, faked()]
"""The test's fake of an interface: `tides: Faked[TideService]`."""
Furnished: TypeAlias = Annotated[T, furnished()]
"""The service, built with the test's fakes: `desk: Furnished[MooringDesk]`."""


def declarations(annotations: Mapping[str, Any]) -> dict[str, Any]:
    """Those of the annotated names that declare something."""
    return {name: form for name, form in annotations.items() if any(_declared(form))}


def _declared(form: Any) -> Iterator[Declaration]:
    if get_origin(form) is Annotated:
        yield from (one for one in form.__metadata__ if isinstance(one, Declaration))


def made_for(declared: Mapping[str, Any], shelf: Maker) -> dict[str, Any]:
    """What is declared, made on a shelf: fakes first, then records, then services.

    Args:
        declared: the annotated types by name.
        shelf: the test's.

    Raises:
        InterfaceRefused: something cannot be made; the message names it.
    """
    each = [(name, form, next(_declared(form))) for name, form in declared.items()]
    made = {}
    for name, form, _ in each:
        if is_partly_unknown(form):
            raise InterfaceRefused(
                f"{name} is declared as {type_name(get_args(form)[0])}, which is no name when the "
                "tests run: import it outside of `if TYPE_CHECKING:`"
            )
    for name, form, one in sorted(each, key=lambda found: found[2].order):
        try:
            made[name] = one.make(get_args(form)[0], shelf)
        except Exception as why:
            raise InterfaceRefused(
                f"{name} is declared as {type_name(get_args(form)[0])}, which cannot be made: {why}"
            ) from None
    return {name: made[name] for name in declared}
