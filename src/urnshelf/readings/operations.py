"""What a method can be read as: operations, the roles of parameters, promises, readings."""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum
from typing import TYPE_CHECKING, Any, NamedTuple, Protocol

if TYPE_CHECKING:
    from urnshelf.calls.ledger import LiveCall
    from urnshelf.calls.target import FakeState
    from urnshelf.readings.units import Units
    from urnshelf.store.views import View

Run = Callable[["Access", tuple[Any, ...]], Any]
"""The answer to a call, from its arguments in the order of the parameters."""


class Promised(Enum):
    """What a method promises, as an answer from the store."""

    ONE = "a record"
    ONE_OR_NONE = "a record or None"
    MANY = "many records"
    BY_KEY = "a mapping of records by key"
    PAGE = "records and their count"
    BOOL = "bool"
    INT = "int"
    NONE = "None"
    UNKNOWN = "nothing in writing"
    OTHER = "something else"


class Role(Enum):
    """What a parameter stands for."""

    CONDITION = "condition"
    KEY = "key"
    KEYS = "keys"
    RECORD = "record"
    RECORDS = "records"
    VALUES = "values"
    """A mapping of field names to values, or a record of them."""
    FIELD = "field"
    """The value of one field."""
    LIMIT = "limit"
    OFFSET = "offset"
    PAGE = "page"
    PAGE_SIZE = "page_size"
    ORDER = "order"
    DESCENDING = "desc"
    VALUE = "value"
    EXPIRES = "expires"
    DEFAULT = "default"
    AMOUNT = "amount"
    PREFIX = "prefix"
    OTHER = "other"
    """Nothing that is read; only taught methods have such parameters."""


class Operation(Enum):
    """What a method does to the shelf's records or values."""

    LOOK_UP = "look up"
    COUNT = "count"
    EXISTS = "exists"
    ADD = "add"
    SAVE = "save"
    UPDATE = "update"
    MAKE = "make"
    """Add a record made of values."""
    CHANGE = "change"
    """Set some fields of the record with a key."""
    REMOVE = "remove"
    REMOVE_WHERE = "remove where"
    VALUE_GET = "get a value"
    VALUE_GET_MANY = "get values"
    VALUE_SET = "set a value"
    VALUE_SET_MANY = "set values"
    VALUE_SET_DEFAULT = "get a value, set where there is none"
    VALUE_GET_ALL = "get every value"
    VALUE_DELETE = "delete a value"
    VALUE_POP = "get and delete a value"
    VALUE_EXISTS = "whether a value exists"
    VALUE_COUNT_UP = "increment a value"
    VALUE_COUNT_DOWN = "decrement a value"
    VALUE_CLEAR = "delete every value"
    VALUE_KEYS = "every key"
    VALUE_TOUCH = "set when a value expires"
    VALUE_SIZE = "how many values"
    LANGUAGE_LOOK = "look into a mapping or a set"
    LANGUAGE_CHANGE = "change a mapping or a set"
    TAKE = "take records away in order"
    COUNT_ALL = "count all"
    PING = "nothing, or whether it is there"
    BEGIN = "begin"
    COMMIT = "commit"
    ROLL_BACK = "roll back"
    LEAVE = "leave"
    TAUGHT = "taught"
    TOLD = "told that it only tells"


_LOOKING = frozenset(
    {
        Operation.LOOK_UP,
        Operation.COUNT,
        Operation.EXISTS,
        Operation.VALUE_GET,
        Operation.VALUE_GET_MANY,
        Operation.VALUE_GET_ALL,
        Operation.VALUE_EXISTS,
        Operation.VALUE_KEYS,
        Operation.VALUE_SIZE,
        Operation.LANGUAGE_LOOK,
        Operation.COUNT_ALL,
        Operation.PING,
    }
)


class ReadParameter(NamedTuple):
    """What one parameter of a method was read as: `sign` and `field` where it is compared with
    one.
    """

    name: str
    role: Role
    field: str = ""
    sign: str = ""

    def __str__(self) -> str:
        return (
            f"{self.field} {self.sign} :{self.name}"
            if self.field
            else f"{self.role.value} :{self.name}"
        )

    def read(self) -> ReadParameter:
        """Itself: it is data already."""
        return self


class Part(Protocol):
    """One parameter of a reading: its role, and when somebody asks, the field that it is compared
    with.
    """

    @property
    def name(self) -> str:
        """The parameter's."""
        ...

    @property
    def role(self) -> Role:
        """What it stands for."""
        ...

    def read(self) -> ReadParameter:
        """As data."""
        ...


class Reading(NamedTuple):
    """What a method was read as; it also stands in the ledger as the answerer of its calls."""

    record_type: Any
    operation: Operation
    parts: tuple[Part, ...]
    tell: Callable[[], str]
    """Its meaning as SQL, the parameters as `:name`; made when somebody asks."""
    run: Run

    @property
    def meaning(self) -> str:
        """As SQL, the parameters as `:name`."""
        return self.tell()

    @property
    def parameters(self) -> tuple[ReadParameter, ...]:
        """What each parameter was read as."""
        return tuple(part.read() for part in self.parts)

    @property
    def is_look_up(self) -> bool:
        """Whether it only looks."""
        return self.operation in _LOOKING

    @property
    def is_of_a_unit(self) -> bool:
        """Whether it begins or leaves a unit of work."""
        return self.operation in (Operation.BEGIN, Operation.LEAVE)

    @property
    def condition(self) -> tuple[ReadParameter, ...]:
        """The parameters that are compared with fields: `field = :parameter`."""
        return tuple(one for one in self.parameters if one.field)

    def __repr__(self) -> str:
        return f"the shelf's records: {self.meaning}"


class Unread(NamedTuple):
    """Why a method was not read."""

    why: str
    is_operation: bool = True
    """Whether it looks like a store operation all the same: then not even a promised None is
    obvious.
    """


class NotCertain(Exception):
    """A call whose answer turned out not to be certain: it is left to a cue."""


class Access:
    """What a reading sees of the shelf while it answers one call.

    Args:
        table: the records as the fake sees them.
        state: the fake whose call it is.
        units: the shelf's units of work.
        call: where what it asked is noted.
        manners: what was told of the interface's values by key, besides its methods.
    """

    __slots__ = ("_call", "manners", "state", "table", "units")

    def __init__(
        self, table: View[Any], state: FakeState, units: Units, call: LiveCall, manners: Any
    ) -> None:
        self.table = table
        self.state = state
        self.units = units
        self.manners = manners
        self._call = call

    def did(self, statement: object) -> None:
        """Note the statement that the call came to; it is turned into text only when somebody
        looks.

        Args:
            statement: a query, or a function that gives the text. It holds on to no `Access`: that
                would be a circle, which only the collector could undo.
        """
        self._call.note = statement
