"""What a method can be read as: operations, and the roles of parameters and the promises that each
honours.
"""

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


class Honours(NamedTuple):
    """The roles of parameters and the promises that an operation honours; None for any promise."""

    roles: frozenset[Role]
    promises: frozenset[Promised] | None


def _honours(roles: str, promises: str) -> Honours:
    honoured = None if promises == "*" else frozenset(Promised[word] for word in promises.split())
    return Honours(frozenset(Role[word] for word in roles.split()), honoured)


_ASKED = "CONDITION KEY LIMIT OFFSET PAGE PAGE_SIZE ORDER DESCENDING"
_STORED = "ONE ONE_OR_NONE MANY INT NONE OTHER UNKNOWN"
HONOURED: dict[Operation, Honours] = {
    Operation.LOOK_UP: _honours(_ASKED, "ONE ONE_OR_NONE MANY BY_KEY PAGE UNKNOWN"),
    Operation.COUNT: _honours("CONDITION KEY", "INT UNKNOWN"),
    Operation.EXISTS: _honours("CONDITION KEY", "BOOL UNKNOWN"),
    Operation.ADD: _honours("RECORD RECORDS", _STORED),
    Operation.SAVE: _honours("RECORD RECORDS", _STORED),
    Operation.UPDATE: _honours("RECORD RECORDS", _STORED),
    Operation.MAKE: _honours("VALUES FIELD", _STORED),
    Operation.CHANGE: _honours("KEY RECORD VALUES FIELD", "ONE ONE_OR_NONE BOOL INT NONE UNKNOWN"),
    Operation.REMOVE: _honours("KEY RECORD RECORDS", "ONE ONE_OR_NONE BOOL INT NONE UNKNOWN"),
    Operation.REMOVE_WHERE: _honours("CONDITION KEY", "BOOL INT NONE"),
    Operation.VALUE_GET: _honours("KEY DEFAULT", "*"),
    Operation.VALUE_GET_MANY: _honours("KEY KEYS DEFAULT", "*"),
    Operation.VALUE_GET_ALL: _honours("", "*"),
    Operation.VALUE_SET: _honours("KEY VALUE EXPIRES", "*"),
    Operation.VALUE_SET_MANY: _honours("KEY KEYS VALUES EXPIRES", "*"),
    Operation.VALUE_SET_DEFAULT: _honours("KEY VALUE DEFAULT EXPIRES", "*"),
    Operation.VALUE_DELETE: _honours("KEY KEYS", "*"),
    Operation.VALUE_POP: _honours("KEY DEFAULT", "*"),
    Operation.VALUE_EXISTS: _honours("KEY KEYS", "*"),
    Operation.VALUE_COUNT_UP: _honours("KEY AMOUNT EXPIRES", "*"),
    Operation.VALUE_COUNT_DOWN: _honours("KEY AMOUNT EXPIRES", "*"),
    Operation.VALUE_CLEAR: _honours("", "*"),
    Operation.VALUE_KEYS: _honours("PREFIX", "*"),
    Operation.VALUE_TOUCH: _honours("KEY EXPIRES", "*"),
    Operation.VALUE_SIZE: _honours("", "*"),
    Operation.LANGUAGE_LOOK: _honours("OTHER", "*"),
    Operation.LANGUAGE_CHANGE: _honours("OTHER", "*"),
    Operation.TAKE: _honours("", "ONE ONE_OR_NONE MANY"),
    Operation.COUNT_ALL: _honours("", "INT BOOL"),
    Operation.PING: _honours("", "BOOL UNKNOWN"),
    Operation.BEGIN: _honours("", "*"),
    Operation.COMMIT: _honours("", "NONE UNKNOWN"),
    Operation.ROLL_BACK: _honours("", "NONE UNKNOWN"),
    Operation.LEAVE: _honours("OTHER", "*"),
}
"""What each operation honours; a method with another parameter, or another promise, is not read."""

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


def honoured(reading: Reading, promised: Promised, method: str) -> Reading | Unread:
    """The reading, or why its operation does not honour a parameter or the promise."""
    honours = HONOURED[reading.operation]
    for part in reading.parts:
        # what is not listed may change the answer, so the method is left to a cue
        if part.role not in honours.roles:
            return Unread(f"{method!r} is not read with a {part.name!r}")
    if honours.promises is not None and promised not in honours.promises:
        wanted = " or ".join(
            one.value for one in Promised if one in honours.promises and one is not Promised.UNKNOWN
        )
        return Unread(f"{method!r} is read where it promises {wanted}")
    return reading


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
