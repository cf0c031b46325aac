"""Types and limits drawn: what libraries of types ask for, names within limits, records that
validate themselves, and frames that are the same records.
"""

from __future__ import annotations

import ipaddress
import math
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time, timedelta, timezone
from decimal import Decimal
from itertools import pairwise
from pathlib import Path
from typing import Annotated, Any, Literal, NotRequired, Optional, TypedDict, Union

import annotated_types as at
import attrs
import msgspec
import pandas
import pydantic
import pydantic.dataclasses
import pytest
import sqlalchemy as sa
from pydantic import networks, types
from sqlalchemy.orm import DeclarativeBase, Mapped, column_property, mapped_column

from urnshelf import RecordRefused, Shelf, Urn, rules
from urnshelf.demo.harbour import Berth, Mooring, Vessel
from urnshelf.urn import gazetteer

_PARTS = ("Address", "Interface", "Network")
MOMENT = datetime(2030, 1, 1)
FORMS: list[Any] = [
    *[getattr(networks, name) for name in """AnyUrl AnyHttpUrl HttpUrl FileUrl FtpUrl WebsocketUrl
    AnyWebsocketUrl PostgresDsn CockroachDsn AmqpDsn RedisDsn MongoDsn KafkaDsn NatsDsn MySQLDsn
    MariaDBDsn ClickHouseDsn SnowflakeDsn IPvAnyAddress IPvAnyInterface IPvAnyNetwork""".split()],
    *[getattr(ipaddress, f"IPv{n}{one}") for n in "46" for one in _PARTS],
    *[getattr(types, name) for name in """UUID1 UUID3 UUID4 UUID5 UUID6 UUID7 UUID8 ByteSize
    SecretStr SecretBytes Json PositiveInt NegativeInt NonPositiveInt NonNegativeFloat NegativeFloat
    FiniteFloat StrictInt PastDate FutureDate PastDatetime FutureDatetime AwareDatetime
    NaiveDatetime NewPath""".split()],
    types.Secret[int],
    types.Secret[date],
    pydantic.conint(multiple_of=5, ge=-20, le=-1),
    pydantic.confloat(gt=0, lt=0.01),
    pydantic.condecimal(max_digits=4, decimal_places=1),
    pydantic.constr(max_length=0),
    Annotated[float, at.Le(math.inf)],
    Annotated[float, at.Ge(0), at.Le(1)],
    Annotated[float, at.Lt(1e-12), at.Gt(0)],
    Annotated[float, at.Le(-5)],
    Annotated[int, at.Le(1)],
    Annotated[int, at.Ge(10**30)],
    Annotated[int, at.MultipleOf(5000)],
    Annotated[float, at.MultipleOf(0.25), at.Ge(0.1), at.Le(0.6)],
    Annotated[Decimal, at.MultipleOf(Decimal("0.05")), at.Ge(Decimal(-1)), at.Lt(0)],
    Annotated[timedelta, at.Gt(timedelta(0)), at.Lt(timedelta(seconds=2))],
    Annotated[timedelta, at.Gt(timedelta(0)), at.Lt(timedelta(milliseconds=2))],
    Annotated[time, at.Ge(time(8)), at.Lt(time(9))],
    Annotated[datetime, at.Gt(MOMENT), at.Lt(MOMENT + timedelta(seconds=1))],
    Annotated[date, at.Ge(date(2040, 1, 1))],
    Annotated[date, at.Lt(date(2000, 1, 1))],
    Annotated[str, at.MinLen(30)],
    Annotated[bytes, at.MaxLen(2)],
    Annotated[set[int], at.MinLen(5)],
    Annotated[dict[str, int], at.MaxLen(0)],
]  # fmt: skip


@pytest.mark.parametrize("form", FORMS, ids=str)
def test_types_and_limits_are_kept(form: Any) -> None:
    judge = pydantic.TypeAdapter(form)
    drawn = Urn(7).draw(form, 200)
    for value in drawn:
        judge.validate_python(value)
    assert Urn(7).draw(form, range(50, 53)) == drawn[50:53]


@pytest.mark.parametrize(
    ("form", "complaint"),
    [
        (types.FilePath, "cannot draw Path: a file that exists is wanted"),
        (types.DirectoryPath, "a directory that exists is wanted"),
        (Annotated[int, at.Gt(3), at.Lt(4)], r"no int lies between 3 \(excluded\) and 4 \(exc"),
        (Annotated[int, at.Ge(1), at.Le(4), at.MultipleOf(5)], "is a multiple of 5"),
        (Annotated[date, at.Gt(date(2030, 1, 1)), at.Lt(date(2030, 1, 2))], "no date lies betwee"),
        (Annotated[time, at.Gt(time(23, 59, 59, 999_999))], "no time lies between"),
        (Annotated[str, at.Len(5, 3)], "no text has from 5 to 3 letters"),
    ],
)
def test_what_nothing_keeps_is_refused(form: Any, complaint: str) -> None:
    with pytest.raises(RecordRefused, match=complaint):
        Urn(7).draw(form)


# --- names within limits --------------------------------------------------------------------------


@dataclass
class Person:
    age: Annotated[int, at.Ge(0)]
    month: Annotated[int, at.Ge(1)]
    year: Annotated[int, at.Gt(2010), at.Le(2015)]
    price: Annotated[Decimal, at.Gt(0)]
    percentage: Annotated[float, at.Le(10)]
    rating: Annotated[int, at.Interval(ge=3)]
    latitude: Annotated[float, at.Ge(50)]
    email: Annotated[str, at.MaxLen(30)]
    home_email: Annotated[str, at.MaxLen(17)]
    long_email: Annotated[str, at.MinLen(50)]
    city: Annotated[str, at.MaxLen(8)]
    description: Annotated[str, at.MinLen(100), at.MaxLen(120)]
    summary: Annotated[str, at.MaxLen(20)]
    colour: Annotated[str, at.MaxLen(4)]
    quantity: Annotated[int, at.MultipleOf(12)]
    starts_on: Annotated[date, at.Ge(date(2029, 1, 1))]
    weeks: Annotated[float, at.Ge(100)]
    updated_at: Annotated[datetime, at.Lt(MOMENT)]
    created_at: Annotated[datetime, at.Ge(MOMENT.replace(tzinfo=timezone(timedelta(hours=2))))]


def test_limits_narrow_what_a_name_means() -> None:
    for person in Urn(7).draw(Person, 400):
        assert 18 <= person.age <= 90
        assert 1 <= person.month <= 12
        assert 2010 < person.year <= 2015
        assert 0 < person.price <= 999
        assert 0 <= person.percentage <= 10
        assert 3 <= person.rating <= 5
        assert 50 <= person.latitude <= 90
        for mail, most in ((person.email, 30), (person.home_email, 17), (person.long_email, 99)):
            assert "@example." in mail
            assert len(mail) <= most
        assert len(person.long_email) >= 50
        assert person.city in gazetteer.TOWNS
        assert 100 <= len(person.description) <= 120
        assert len(person.summary) <= 20
        assert person.colour in {"blue", "gold", "grey", "red"}
        assert person.quantity % 12 == 0 < person.quantity <= 100
        assert date(2029, 1, 1) <= person.starts_on <= date(2030, 7, 31)
        # where a name leaves no room, the limits decide
        assert person.weeks >= 100
        assert person.updated_at < MOMENT
        assert person.created_at >= MOMENT.replace(tzinfo=timezone(timedelta(hours=2)))


def test_ranges_that_end_within_a_second() -> None:
    end = MOMENT + timedelta(milliseconds=300)
    moments = [one.a for one in Urn(7).draw(Any_, 300, a=rules.between(MOMENT, end))]
    assert len(set(moments)) > 200
    assert MOMENT <= min(moments) <= max(moments) <= end
    spans = rules.between(timedelta(milliseconds=500), timedelta(milliseconds=700))
    drawn = [one.a for one in Urn(7).draw(Any_, 300, a=spans)]
    assert timedelta(milliseconds=500) <= min(drawn) <= max(drawn) <= timedelta(milliseconds=700)
    hours = [one.a for one in Urn(7).draw(Any_, 300, a=rules.between(time(8), time(8, 30)))]
    assert time(8) <= min(hours) <= max(hours) <= time(8, 30)
    with pytest.raises(RecordRefused, match="both ends must have a time zone, or none"):
        rules.between(MOMENT, MOMENT.replace(tzinfo=UTC))


@dataclass
class Any_:
    a: Any


# --- unions and depth -----------------------------------------------------------------------------


@dataclass
class Leaf:
    value: int


@dataclass
class Branch:
    left: Tree
    right: Tree
    by_name: dict[str, Tree] = field(default_factory=dict)
    pair: tuple[Tree, Leaf] | None = None


Tree = Union[Leaf, Branch]  # noqa: UP007


def test_deep_types_end_and_leak_no_none() -> None:
    def checked(tree: Any) -> int:
        assert isinstance(tree, (Leaf, Branch))
        if isinstance(tree, Leaf):
            return 1
        assert (tree.pair is None) or len(tree.pair) == 2
        inner = [tree.left, tree.right, *tree.by_name.values(), *(tree.pair or ())]
        return 1 + max(map(checked, inner))

    depths = {checked(tree) for tree in Urn(7).draw(Branch, 100)}
    assert 3 < max(depths) < 12

    @dataclass
    class Endless:
        inner: Endless

    Endless.__annotations__["inner"] = Endless
    with pytest.raises(RecordRefused, match="its type holds itself without end"):
        Urn(7).draw(Endless)


class Cat(msgspec.Struct, tag="cat"):
    lives: int


class Dog(msgspec.Struct, tag="dog"):
    age: int


class Zoo(msgspec.Struct):
    pets: list[Cat | Dog]
    one: Cat | Dog
    fed: int | msgspec.UnsetType = msgspec.UNSET


class Tug(pydantic.BaseModel):
    kind: Literal["tug"]
    power: int


class Ferry(pydantic.BaseModel):
    kind: Literal["ferry"]
    cars: int


class Fleet(pydantic.BaseModel):
    boats: list[Annotated[Tug | Ferry, pydantic.Field(discriminator="kind")]]
    one: Tug | Ferry = pydantic.Field(discriminator="kind")


class Numbers(pydantic.RootModel[list[int]]):
    pass


class Wrapped(pydantic.BaseModel):
    id: int
    deep: int = pydantic.Field(validation_alias=pydantic.AliasPath("x", "y", 1))
    also: str = pydantic.Field(
        validation_alias=pydantic.AliasChoices(pydantic.AliasPath("x", "z"), "b")
    )
    named: str = pydantic.Field(alias="other")
    listed: pydantic.Json[list[int]]
    raw: pydantic.Base64Str
    hidden: pydantic.SecretStr
    numbers: Numbers
    made: types.UUID7 | None


@pydantic.dataclasses.dataclass
class Checked:
    n: Annotated[int, pydantic.Field(gt=3, lt=9)]
    m: int = pydantic.Field(ge=1000, alias="mm")
    tags: list[str] = pydantic.Field(default_factory=list, max_length=1)
    even: int = 2

    @pydantic.field_validator("even")
    @classmethod
    def is_even(cls, value: int) -> int:
        assert value % 2 == 0
        return value


@pytest.mark.parametrize("kind", [Zoo, Fleet, Numbers, Wrapped, Checked])
def test_records_of_libraries_are_drawn_and_come_back(kind: Any, tmp_path: Path) -> None:
    drawn = Urn(7).draw(kind, 600)
    assert drawn == [*Urn(7).draw(kind, 100), *Urn(7).draw(kind, range(100, 600))]
    if kind is Zoo:
        for zoo in drawn:
            assert msgspec.json.decode(msgspec.json.encode(zoo), type=Zoo) == zoo
        assert {zoo.fed is msgspec.UNSET for zoo in drawn} == {True, False}
    elif kind in (Fleet, Numbers):
        assert all(kind.model_validate_json(one.model_dump_json()) == one for one in drawn)
    elif kind is Wrapped:
        assert all(isinstance(n, int) for one in drawn for n in one.listed)
        assert {one.made.version for one in drawn if one.made} == {7}
    else:
        assert all(3 < one.n < 9 and one.m >= 1000 and len(one.tags) <= 1 for one in drawn)
    shelf, other = Shelf(seed=7), Shelf()
    shelf.stock(kind, 40)
    for ending in ("json", "dir"):
        other = Shelf()
        shelf.save(tmp_path / f"x.{ending}")
        other.load(tmp_path / f"x.{ending}", kind)
        assert list(other.records(kind)) == list(shelf.records(kind))


class Ticket(pydantic.BaseModel):
    id: types.UUID7 | None = None


def test_a_key_that_is_assigned_is_of_the_version_that_its_type_wants(shelf: Shelf) -> None:
    assert Urn(7).draw(Ticket).id is None
    assert [ticket.id.version for ticket in shelf.stock(Ticket, 3) if ticket.id] == [7, 7, 7]


class Tables(DeclarativeBase):
    pass


class Dept(Tables):
    __tablename__ = "dept"
    dept_id: Mapped[int] = mapped_column(primary_key=True)
    sizes: Mapped[dict[str, int]] = mapped_column(sa.JSON)
    tags: Mapped[Optional[list[str]]] = mapped_column(sa.JSON)  # noqa: UP045
    double: Mapped[int] = column_property(dept_id * 2)


def test_mapped_columns_are_drawn_as_they_are_annotated() -> None:
    drawn = Urn(7).draw(Dept, 600)
    assert [dept.dept_id for dept in drawn] == list(range(1, 601))
    assert {type(n) for dept in drawn for n in dept.sizes.values()} == {int}
    assert {type(tag) for dept in drawn for tag in dept.tags or ()} == {str}
    assert {dept.tags is None for dept in drawn} == {True, False}
    engine = sa.create_engine("sqlite://")
    Tables.metadata.create_all(engine)
    with sa.orm.Session(engine) as session:
        session.add_all(drawn)
        session.commit()
        rows = session.scalars(sa.select(Dept).order_by(Dept.dept_id)).all()
        assert [row.double for row in rows[:3]] == [2, 4, 6]
    engine.dispose()


# --- records that validate themselves ------------------------------------------------------------


@dataclass
class Vetted:
    id: int
    level: int
    code: str
    depth: float

    def __post_init__(self) -> None:
        if self.level % 3:
            raise ValueError("a multiple of three is needed")


def test_many_at_once_are_the_same_as_one_by_one() -> None:
    codes = {
        "code": rules.all_different(rules.pattern("[A-Z]{3}")), "depth": rules.drift(5, 0.1)
    }  # fmt: skip
    many = Urn(7).draw(Vetted, 600, **codes)
    few = [*Urn(7).draw(Vetted, 499, **codes), *Urn(7).draw(Vetted, range(499, 600), **codes)]
    assert many == few
    assert {one.level % 3 for one in many} == {0}
    assert [one.id for one in many] == list(range(1, 601))
    assert len({one.code for one in many}) == 600
    steps = [abs(a.depth - b.depth) for a, b in pairwise(many)]
    assert max(steps) < 2
    with pytest.raises(RecordRefused, match="1 is there more than once"):
        rules.all_different([1, 1, 1])


# --- frames ---------------------------------------------------------------------------------------


class Model(pydantic.BaseModel):
    id: int
    even: Annotated[int, at.Predicate(lambda n: n % 2 == 0)]
    at: datetime
    name: str = pydantic.Field(alias="label")

    @pydantic.field_validator("name")
    @classmethod
    def upper(cls, value: str) -> str:
        return value.upper()


@attrs.define
class Attrs:
    size: int = attrs.field(converter=lambda n: n * 2)
    kind: Literal["a", "b"] = "a"


class Partial(TypedDict):
    id: int
    note: NotRequired[str]
    count: NotRequired[int]


@dataclass
class Wide:
    id: int
    maybe: int | None
    yes: bool | None
    real: float | None
    day: date | None
    on: date
    created_at: datetime
    local: Annotated[datetime, at.Ge(MOMENT)]
    hour: time
    span: timedelta
    money: Decimal
    tags: list[str]
    home: Vessel | None
    text: str | None
    big: Annotated[int, at.Ge(2**70)]


def plain(value: Any) -> Any:
    """What pandas gives, as Python has it."""
    if isinstance(value, (pandas.Timestamp, pandas.Timedelta)):
        return (
            value.to_pydatetime() if isinstance(value, pandas.Timestamp) else value.to_pytimedelta()
        )
    if isinstance(value, float) and math.isnan(value):
        return None
    return None if value is pandas.NA or value is pandas.NaT else value


@pytest.mark.parametrize("kind", [Model, Attrs, Partial, Wide, Vetted, Berth, Mooring, Vessel])
@pytest.mark.parametrize("n", [30, 700])
def test_a_frame_is_the_records(kind: Any, n: int) -> None:
    records = Urn(7).draw(kind, n)
    frame = Urn(7).data_frame(kind, n)
    for name in frame.columns:
        fetch = (
            (lambda r, f=name: r.get(f)) if kind is Partial else (lambda r, f=name: getattr(r, f))
        )
        column = [plain(value) for value in frame[name].tolist()]
        assert column == list(map(fetch, records)), name


def test_columns_of_a_frame_have_the_types_that_frames_like() -> None:
    types_of = {name: str(kind) for name, kind in Urn(7).data_frame(Wide, 700).dtypes.items()}
    assert types_of["id"] == "int64"
    assert types_of["maybe"] == "Int64"
    assert types_of["yes"] == "boolean"
    assert types_of["created_at"].endswith(", UTC]")
    assert str(Urn(7).data_frame(Berth, 700)["harbour"].dtype) == "category"
    assert str(Urn(7).data_frame(Partial, 90)["count"].dtype) == "Int64"
