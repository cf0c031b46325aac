"""One record type of each kind that can be drawn, each with awkward fields."""

import enum
import typing
from collections.abc import Mapping, Sequence
from dataclasses import KW_ONLY, InitVar, dataclass, field
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from ipaddress import IPv4Address, IPv6Address
from pathlib import Path
from typing import Annotated, Any, Generic, Literal, NamedTuple, NewType, NotRequired, TypeVar
from uuid import UUID

import annotated_types as at
import attrs
import msgspec
import pydantic
import sqlalchemy as sa
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column
from typing_extensions import TypedDict

T = TypeVar("T")
Metres = NewType("Metres", float)


class Flag(enum.Enum):
    RED = "r"
    GREEN = "g"


class Light(enum.IntFlag):
    OFF = 0
    ON = 1


@dataclass
class Plain:
    id: int
    yes: bool
    whole: int
    real: float
    money: Decimal
    text: str
    raw: bytes
    code: UUID
    day: date
    hour: time
    moment: datetime
    span: timedelta
    flag: Flag
    light: Light
    word: Literal["a", "b", 3]
    maybe: int | None
    old_maybe: typing.Optional[str]  # noqa: UP045
    either: int | str | Flag
    many: list[int]
    pair: tuple[int, str]
    row: tuple[float, ...]
    bag: set[int]
    frozen: frozenset[str]
    table: dict[str, list[int]]
    seq: Sequence[int]
    mapping: Mapping[str, int]
    depth: Metres
    path: Path
    ip4: IPv4Address
    ip6: IPv6Address
    anything: Any
    number: complex


@dataclass(frozen=True, slots=True)
class Frozen:
    name: str
    tags: tuple[str, ...] = ()


@dataclass
class Base:
    a: int
    b: str = "default"
    _: KW_ONLY
    c: float = 1.5
    made: list[int] = field(default_factory=list)
    later: int = field(init=False, default=9)


@dataclass
class Child(Base):
    d: date = date(2030, 1, 1)
    scale: InitVar[int] = 2

    def __post_init__(self, scale: int) -> None:
        self.later = self.a * scale


@dataclass
class Box(Generic[T]):
    inside: T
    more: list[T]


@dataclass
class Node:
    name: str
    parent: "Node | None"
    children: list["Node"]


@dataclass
class Nested:
    plain: Frozen
    many: list[Frozen]
    by_name: dict[str, Frozen]


class Point(NamedTuple):
    x: int
    y: float = 0.0
    label: str = "p"


class Options(TypedDict):
    depth: float
    name: NotRequired[str]


class Loose(TypedDict, total=False):
    a: int
    b: typing.Required[str]


@dataclass
class Limited:
    small: Annotated[int, at.Ge(3), at.Lt(6)]
    even: Annotated[int, at.MultipleOf(2), at.Interval(ge=10, le=20)]
    real: Annotated[float, at.Gt(0), at.Le(1)]
    money: Annotated[Decimal, at.Ge(Decimal("1.5")), at.Le(Decimal("2.5"))]
    text: Annotated[str, at.Len(3, 5)]
    items: Annotated[list[int], at.MinLen(2), at.MaxLen(4)]
    odd: Annotated[int, at.Predicate(lambda n: n % 2 == 1)]
    day: Annotated[date, at.Ge(date(2030, 1, 1)), at.Le(date(2030, 1, 31))]


@attrs.define
class WithAttrs:
    id: int
    name: str = attrs.field(validator=attrs.validators.max_len(30))
    size: int = attrs.field(validator=[attrs.validators.ge(5), attrs.validators.lt(9)])
    kind: str = attrs.field(validator=attrs.validators.in_(["x", "y"]))
    code: str = attrs.field(validator=attrs.validators.matches_re(r"[A-Z]{3}\d"))
    _hidden: int = 3
    derived: int = attrs.field(init=False, default=1)


@attrs.frozen(kw_only=True)
class FrozenAttrs:
    a: int
    b: list[str]


class Address(pydantic.BaseModel):
    street: str
    postcode: str = pydantic.Field(pattern=r"^\d{5}$")


class Model(pydantic.BaseModel):
    model_config = pydantic.ConfigDict(frozen=True)

    id: int
    name: str = pydantic.Field(min_length=2, max_length=8)
    size: int = pydantic.Field(ge=5, lt=9, multiple_of=2)
    price: Decimal = pydantic.Field(max_digits=5, decimal_places=2, gt=0)
    ratio: pydantic.PositiveFloat
    code: Annotated[str, pydantic.StringConstraints(pattern=r"^[A-Z]{2}-\d{3}$")]
    tags: list[str] = pydantic.Field(min_length=1, max_length=2)
    short: pydantic.constr(max_length=3)  # type: ignore[valid-type]
    nested: Address
    maybe: Address | None = None
    url: pydantic.HttpUrl
    secret: pydantic.SecretStr
    kept: datetime
    naive: pydantic.NaiveDatetime
    aware: pydantic.AwareDatetime
    past: pydantic.PastDate
    aliased: int = pydantic.Field(alias="outerName", ge=1)
    choice: int = pydantic.Field(validation_alias=pydantic.AliasChoices("first", "second"))
    flag: Flag

    @pydantic.field_validator("choice")
    @classmethod
    def _odd(cls, value: int) -> int:
        if value % 2 == 0:
            raise ValueError("odd numbers only")
        return value


class Struct(msgspec.Struct, frozen=True):
    id: int
    name: Annotated[str, msgspec.Meta(min_length=3, max_length=6)]
    size: Annotated[int, msgspec.Meta(ge=5, lt=9)]
    code: Annotated[str, msgspec.Meta(pattern=r"^[a-z]{2}\d$")]
    tags: list[str]
    when: datetime
    maybe: int | None = None


class Mapper(DeclarativeBase):
    pass


class Row(Mapper):
    __tablename__ = "row"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(sa.String(12))
    price: Mapped[Decimal] = mapped_column(sa.Numeric(6, 2))
    flag: Mapped[Flag]
    kind: Mapped[str] = mapped_column(sa.Enum("a", "b", name="kind"))
    note: Mapped[str | None]
    when: Mapped[datetime]


class ByConstructor:
    def __init__(self, id: int, name: str, depth: float = 2.0, unknown=None) -> None:
        self.id, self.name, self.depth, self.unknown = id, name, depth, unknown
        if not name:
            raise ValueError("a name is needed")


SCHEMA = {
    "$schema": "https://json-schema.org/draft/2020-12/schema",
    "title": "Vessel",
    "type": "object",
    "required": ["id", "name", "kind", "berth", "length"],
    "properties": {
        "id": {"type": "integer", "minimum": 1},
        "name": {"type": "string", "minLength": 2, "maxLength": 40},
        "kind": {"enum": ["cargo", "ferry"]},
        "fixed": {"const": 5},
        "code": {"type": "string", "pattern": "^[A-Z]{3}-\\d{2}$"},
        "length": {"type": "number", "exclusiveMinimum": 10, "maximum": 120, "multipleOf": 0.5},
        "email": {"type": "string", "format": "email"},
        "when": {"type": "string", "format": "date-time"},
        "day": {"type": "string", "format": "date"},
        "uuid": {"type": "string", "format": "uuid"},
        "ip": {"type": "string", "format": "ipv4"},
        "tags": {
            "type": "array",
            "items": {"type": "string"},
            "minItems": 1,
            "maxItems": 3,
            "uniqueItems": True,
        },
        "pair": {
            "type": "array",
            "prefixItems": [{"type": "integer"}, {"type": "string"}],
            "minItems": 2,
            "maxItems": 2,
        },
        "maybe": {"type": ["string", "null"]},
        "yes": {"type": "boolean"},
        "berth": {"$ref": "#/$defs/berth"},
        "either": {"oneOf": [{"type": "integer", "minimum": 5}, {"type": "boolean"}]},
        "any": {"anyOf": [{"type": "integer"}, {"type": "string"}]},
        "both": {"allOf": [{"type": "integer", "minimum": 3}, {"maximum": 4}]},
        "tree": {"$ref": "#/$defs/tree"},
    },
    "additionalProperties": False,
    "$defs": {
        "berth": {
            "type": "object",
            "required": ["code"],
            "properties": {"code": {"type": "string", "maxLength": 8}},
        },
        "tree": {
            "type": "object",
            "required": ["name"],
            "properties": {
                "name": {"type": "string"},
                "children": {"type": "array", "items": {"$ref": "#/$defs/tree"}},
            },
        },
    },
}
