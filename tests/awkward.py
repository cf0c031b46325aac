"""Interfaces written to be awkward. None of their code may ever run in a fake: much of it would
raise.
"""

from __future__ import annotations

import enum
import functools
from abc import ABC, ABCMeta, abstractmethod
from collections.abc import (
    AsyncGenerator,
    AsyncIterator,
    Awaitable,
    Callable,
    Coroutine,
    Generator,
    Iterable,
    Iterator,
)
from contextlib import AbstractContextManager, asynccontextmanager, contextmanager
from dataclasses import dataclass, field
from decimal import Decimal
from typing import (
    TYPE_CHECKING,
    Any,
    ClassVar,
    Final,
    Generic,
    Literal,
    NewType,
    ParamSpec,
    Protocol,
    Self,
    TypedDict,
    TypeVar,
    Unpack,
    overload,
    runtime_checkable,
)

if TYPE_CHECKING:
    from nowhere import Missing

T = TypeVar("T")
K = TypeVar("K")
T_co = TypeVar("T_co", covariant=True)
K_contra = TypeVar("K_contra", contravariant=True)
P = ParamSpec("P")
BerthId = NewType("BerthId", int)


def never(*_: object) -> Any:
    raise AssertionError("code of an interface was run")


class Colour(enum.Enum):
    RED = 1


class Options(TypedDict, total=False):
    deep: int


# --- parameters -----------------------------------------------------------------------------------


class NoParameters(Protocol):
    def go(self) -> int: ...


class PositionalOnly(Protocol):
    def go(self, a: int, b: str, /) -> int: ...


class PositionalOnlyThenOrdinary(Protocol):
    def go(self, a: int, /, b: str, c: float = 1.5) -> int: ...


class PositionalOnlyDefaults(Protocol):
    def go(self, a: int = 1, b: str = "x", /) -> int: ...


class KeywordOnly(Protocol):
    def go(self, *, a: int, b: str = "x") -> int: ...


class EveryKind(Protocol):
    def go(self, a: int, /, b: int, *more: int, c: int, d: int = 4, **rest: int) -> int: ...


class StarArguments(Protocol):
    def go(self, *values: int) -> int: ...


class StarStarArguments(Protocol):
    def go(self, **values: int) -> int: ...


class BothStars(Protocol):
    def go(self, *args: Any, **kwargs: Any) -> int: ...


class TypedKeywords(Protocol):
    def go(self, **options: Unpack[Options]) -> int: ...


class MutableDefaults:
    def go(self, a: list[int] = [1, 2], b: dict[str, int] = {}) -> int:
        return never()


class ObjectDefaults:
    def go(self, a: object = object(), b: Colour = Colour.RED, c: Decimal = Decimal("1.5")) -> int:
        return never()


class CallableDefault:
    def go(self, key: Callable[[Any], Any] = lambda x: x, kind: type = int) -> int:
        return never()


class NamesLikeOurs(Protocol):
    def go(
        self,
        method: int,
        target: int,
        fake: int,
        name: str,
        cue: int,
        args: int,
        kwargs: int,
        live: int,
    ) -> int: ...


class NamesLikeBuiltins(Protocol):
    def go(self, type: int, list: int, id: int, max: int, Exception: int) -> int: ...


class SelfIsNotCalledSelf(Protocol):
    def go(this, self: int) -> int: ...


class PrivateParameters:
    def go(self, __a: int, _b: int = 2) -> int:
        return never()


class SelfInStars:
    def go(*args: int) -> int:  # type: ignore[misc]
        return never()


class ManyParameters(Protocol):
    def go(
        self,
        a: int,
        b: int,
        c: int,
        d: int,
        e: int,
        f: int,
        g: int,
        h: int = 8,
        *,
        i: int = 9,
        j: int = 10,
        k: int = 11,
    ) -> int: ...


class UnicodeNames(Protocol):
    def gå(self, größe: int, длина: int = 1) -> int: ...


# --- annotations ----------------------------------------------------------------------------------


class NoAnnotations:
    def go(self, a, b=2, *args, c, **kwargs):
        return never()


class MissingNames(Protocol):
    def go(self, a: Missing, b: DoesNotExist = 1) -> AlsoMissing: ...  # noqa: F821


class PartlyMissing(Protocol):
    def go(self, a: list[Missing]) -> dict[str, Missing]: ...
    def known(self, a: int) -> str: ...


class OddAnnotations:
    def go(self, a: "not a type at all", b: 1 / 0 = 3) -> "lambda: [":  # noqa: F722
        return never()


class HidesBuiltins(Protocol):
    def list(self) -> list[int]: ...
    def dict(self, a: int) -> dict[str, int]: ...


class PromisesSelf(Protocol):
    def with_depth(self, depth: float) -> Self: ...


class PromisesLiterals(Protocol):
    def go(self, a: Literal["x", "y"] = "x") -> Literal[1, 2]: ...


class NewTypes(Protocol):
    def go(self, berth_id: BerthId) -> BerthId: ...


class UnionsOldAndNew(Protocol):
    def go(self, a: int | None = None, b: str | int = 1) -> int | str | None: ...


# --- kinds of method ------------------------------------------------------------------------------


class AsyncMethods(Protocol):
    async def go(self, a: int, *, b: str = "x") -> int: ...
    async def stop(self) -> None: ...


class AsyncConcrete:
    async def go(self, a: int) -> int:
        return never()


class AwaitableByHand(Protocol):
    def go(self, a: int) -> Awaitable[int]: ...
    def come(self, a: int) -> Coroutine[Any, Any, str]: ...


class Generators:
    def go(self, n: int) -> Generator[int, None, None]:
        yield never()

    def items(self) -> Iterator[str]:
        yield never()

    def bare(self):
        yield never()


class AsyncGenerators:
    async def go(self, n: int) -> AsyncGenerator[int, None]:
        yield never()

    async def items(self) -> AsyncIterator[str]:
        yield never()

    async def bare(self):
        yield never()


class PromisesStreams(Protocol):
    def sync(self) -> Iterable[int]: ...
    def later(self) -> AsyncIterator[int]: ...
    async def after_waiting(self) -> AsyncIterator[int]: ...


class Contexts:
    @contextmanager
    def session(self, name: str) -> Iterator[int]:
        yield never()

    @asynccontextmanager
    async def later(self, name: str) -> AsyncIterator[int]:
        yield never()


class IsAContext(Protocol):
    def __enter__(self) -> Self: ...
    def __exit__(self, *exc: object) -> bool | None: ...


class IsAnAsyncContext(Protocol):
    async def __aenter__(self) -> Self: ...
    async def __aexit__(self, *exc: object) -> bool | None: ...


class ClassAndStatic:
    @classmethod
    def made(cls, a: int, *, b: int = 2) -> Self:
        return never()

    @staticmethod
    def counted(a: int, b: int = 2) -> int:
        return never()


class AbstractClassAndStatic(ABC):
    @classmethod
    @abstractmethod
    def made(cls, a: int) -> int: ...

    @staticmethod
    @abstractmethod
    def counted(a: int) -> int: ...

    @staticmethod
    @abstractmethod
    async def later(a: int) -> int: ...


class Properties:
    @property
    def read_only(self) -> int:
        return never()

    @property
    def settable(self) -> str:
        return never()

    @settable.setter
    def settable(self, value: str) -> None:
        never()

    @functools.cached_property
    def cached(self) -> float:
        return never()


class AbstractProperties(ABC):
    @property
    @abstractmethod
    def depth(self) -> float: ...

    @depth.setter
    @abstractmethod
    def depth(self, value: float) -> None: ...


class Attributes(Protocol):
    harbour: str
    berths: list[int]
    limit: ClassVar[int] = 5
    FIXED: Final = "fixed"


class Overloads(Protocol):
    @overload
    def go(self, a: int) -> int: ...
    @overload
    def go(self, a: str) -> str: ...


class OverloadsWithCode:
    @overload
    def go(self, a: int) -> int: ...
    @overload
    def go(self, a: str) -> str: ...
    def go(self, a: int | str) -> int | str:
        return never()


class Decorated:
    @functools.lru_cache(maxsize=3)
    def cached(self, a: int, b: int = 2) -> int:
        return never()

    @functools.wraps(never)
    def wrapped(self, a: int) -> int:
        return never()

    def base(self, a: int, b: int, c: int = 3) -> int:
        return never()

    bound_first = functools.partialmethod(base, 1)
    bound_by_name = functools.partialmethod(base, b=2)


class Dispatched:
    @functools.singledispatchmethod
    def go(self, a: object) -> int:
        return never()


class HasACall(Protocol):
    def __call__(self, a: int, *, b: str = "x") -> int: ...


class HasAnAsyncCall(Protocol):
    async def __call__(self, a: int) -> int: ...


# --- special methods ------------------------------------------------------------------------------


class Container_(Protocol):
    def __len__(self) -> int: ...
    def __contains__(self, item: object) -> bool: ...
    def __getitem__(self, key: int) -> str: ...
    def __setitem__(self, key: int, value: str) -> None: ...
    def __delitem__(self, key: int) -> None: ...
    def __iter__(self) -> Iterator[str]: ...


class Arithmetic:
    def __add__(self, other: int) -> int:
        return never()

    def __radd__(self, other: int) -> int:
        return never()

    def __lt__(self, other: object) -> bool:
        return never()

    def __neg__(self) -> int:
        return never()

    def __int__(self) -> int:
        return never()

    def __index__(self) -> int:
        return never()


class OwnEquality:
    def __eq__(self, other: object) -> bool:
        return never()

    def __hash__(self) -> int:
        return never()

    def __bool__(self) -> bool:
        return never()


class Unhashable:
    __hash__ = None  # type: ignore[assignment]

    def __eq__(self, other: object) -> bool:
        return never()


class BehindOnesBack:
    def __init__(self, a: int) -> None:
        never()

    def __new__(cls, *args: Any) -> Self:
        return never()

    def __del__(self) -> None:
        never()

    def __init_subclass__(cls) -> None:
        never()

    def __getattribute__(self, name: str) -> Any:
        return never()

    def __getattr__(self, name: str) -> Any:
        return never()

    def __setattr__(self, name: str, value: object) -> None:
        never()

    def __repr__(self) -> str:
        return never()

    def __str__(self) -> str:
        return never()

    def __format__(self, spec: str) -> str:
        return never()

    def __reduce__(self) -> Any:
        return never()

    def __dir__(self) -> list[str]:
        return never()

    def __copy__(self) -> Any:
        return never()

    def go(self, a: int) -> int:
        return never()


class Awaits(Protocol):
    def __await__(self) -> Generator[Any, None, int]: ...


class AsyncIterates(Protocol):
    def __aiter__(self) -> Self: ...
    async def __anext__(self) -> int: ...


# --- kinds of class -------------------------------------------------------------------------------


class HostileMeta(type):
    def __call__(cls, *args: Any, **kwargs: Any) -> Any:
        return never()


class WithHostileMeta(metaclass=HostileMeta):
    def go(self, a: int) -> int:
        return never()


class Singleton(metaclass=ABCMeta):
    _instance: ClassVar[Any] = None

    def __new__(cls) -> Self:
        return never()

    @classmethod
    def instance(cls) -> Singleton:
        return never()

    def go(self) -> int:
        return never()


class HostileDescriptor:
    def __get__(self, instance: object, owner: type) -> Any:
        return never() if instance is not None else self

    def __set__(self, instance: object, value: object) -> None:
        never()


class WithDescriptors:
    column: int = HostileDescriptor()  # type: ignore[assignment]

    def go(self) -> int:
        return never()


class WithSlots:
    __slots__ = ("_hidden", "depth")

    def __init__(self, depth: int) -> None:
        self.depth = never()

    def go(self) -> int:
        return never()


class AssignsInConstructor:
    def __init__(self, url: str) -> None:
        self.url = url
        self.headers: dict[str, str] = {}
        self._secret = never()

    def go(self) -> int:
        return never()


class Constants:
    LIMIT = 5
    NAMES: ClassVar[tuple[str, ...]] = ("a", "b")
    Inner = Colour
    convert = int

    def go(self) -> int:
        return never()


class Repository(Protocol[T, K]):
    def get(self, key: K) -> T: ...
    def find(self, key: K) -> T | None: ...
    def all(self) -> list[T]: ...
    def put(self, record: T) -> K: ...


class GenericABC(ABC, Generic[T]):
    @abstractmethod
    def one(self, a: T) -> T: ...

    def many(self, *items: T) -> list[T]:
        return never()


class FilledByInheritance(GenericABC[int]):
    def extra(self) -> int:
        return never()


class FilledTwice(GenericABC[dict[str, T]], Generic[T]):
    pass


class Base(ABC):
    @abstractmethod
    def from_base(self, a: int) -> int: ...

    def overridden(self, a: int) -> int:
        return never()


class Mixin:
    def from_mixin(self, b: str) -> str:
        return never()


class Diamond(Mixin, Base):
    def overridden(self, a: int, b: int = 2) -> int:
        return never()

    def from_base(self, a: int) -> int:
        return never()


@runtime_checkable
class Checkable(Protocol):
    depth: float

    def go(self) -> int: ...


class ExtendsProtocol(Checkable, Protocol):
    def more(self, a: int) -> int: ...


@dataclass
class DataclassService:
    depth: float
    tags: list[str] = field(default_factory=list)

    def go(self, a: int) -> int:
        return never()


class Nested:
    class Inner(Protocol):
        def go(self, a: int) -> int: ...


class LooksUpContext(Protocol):
    def session(self) -> AbstractContextManager[int]: ...


class Covariant(Protocol[T_co]):
    def make(self) -> T_co: ...


class Contravariant(Protocol[K_contra]):
    def take(self, item: K_contra) -> None: ...


class TakesParamSpec(Protocol[P]):
    def go(self, *args: P.args, **kwargs: P.kwargs) -> int: ...


class PrivateMethods:
    def _hook(self, a: int) -> int:
        return never()

    def __mangled(self, a: int) -> int:
        return never()

    def go(self) -> int:
        return never()


class ManyMethods(Protocol):
    def m01(self, a: int) -> int: ...
    def m02(self, a: int) -> int: ...
    async def m03(self, a: int) -> int: ...
    def m04(self, a: int) -> int: ...
    def m05(self, a: int) -> int: ...
    async def m06(self, a: int) -> int: ...


def closing_over(thing: Any) -> Callable[[], Any]:
    def report() -> Any:
        return thing

    return report


def plain_function(a: int, /, b: str = "x", *, c: float = 1.0) -> int:
    return never()


async def async_function(a: int) -> int:
    return never()


FORMS: list[Any] = [
    *[
        value
        for value in list(globals().values())
        if isinstance(value, type)
        and value.__module__ == __name__
        and value not in (Colour, Options, HostileMeta, HostileDescriptor)
    ],
    Nested.Inner,
    Repository[Base, int],
    GenericABC[str],
    FilledTwice[int],
    Covariant[int],
    Contravariant[int],
    TakesParamSpec[int, str],
    Callable[[int, str], float],
    Callable[..., int],
    Callable[[], Awaitable[int]],
    plain_function,
    async_function,
]
