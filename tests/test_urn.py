"""The urn: every type drawn and valid, names, rules, purity, safety, and many at once."""

from __future__ import annotations

import hashlib
import ipaddress
import re
import subprocess
import sys
from collections import Counter
from dataclasses import dataclass, fields
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from itertools import pairwise
from pathlib import Path
from typing import Any, get_args

import attrs
import jsonschema
import msgspec
import numpy
import pydantic
import pytest
import scipy.stats
from hypothesis import given
from hypothesis import strategies as st

import record_types as kinds
from thorough import examples
from urnshelf import RecordRefused, Shelf, Urn, rules
from urnshelf.demo.harbour import Berth, Mooring, Vessel
from urnshelf.records.fit import misfit
from urnshelf.types.annotations import hints_of
from urnshelf.types.nodes import node_of
from urnshelf.urn import gazetteer, people, words
from urnshelf.urn.safe import ascii_of

URN = Urn(7)
CLASSES: list[Any] = [
    kinds.Plain,
    kinds.Frozen,
    kinds.Child,
    kinds.Box[int],
    kinds.Box[kinds.Frozen],
    kinds.Node,
    kinds.Nested,
    kinds.Point,
    kinds.Options,
    kinds.Loose,
    kinds.Limited,
    kinds.WithAttrs,
    kinds.FrozenAttrs,
    kinds.Model,
    kinds.Struct,
    kinds.Row,
    kinds.ByConstructor,
]


# --- types ----------------------------------------------------------------------------------------


@pytest.mark.parametrize("kind", CLASSES)
def test_each_kind_of_record_is_drawn_and_pure(kind: Any) -> None:
    many = Urn(7).draw(kind, 600)
    assert len(many) == 600
    shown = [repr_of(record) for record in many]
    assert len(set(shown)) > 50
    assert repr_of(Urn(7).draw(kind)) == shown[0]
    assert [repr_of(r) for r in Urn(7).draw(kind, range(590, 600))] == shown[590:]
    assert [repr_of(r) for r in Urn(8).draw(kind, 5)] != shown[:5]


def repr_of(record: Any) -> str:
    if hasattr(record, "__mapper__") or isinstance(record, kinds.ByConstructor):
        return repr({k: v for k, v in vars(record).items() if not k.startswith("_")})
    return repr(record)


def test_every_field_type_is_what_it_says() -> None:
    hints = hints_of(kinds.Plain)
    records = Urn(7).draw(kinds.Plain, 300)
    for record in records:
        for name, form in hints.items():
            assert misfit(getattr(record, name), node_of(form)) is None, name
    assert {type(r.either) for r in records} == {int, str, kinds.Flag}
    assert {r.maybe is None for r in records} == {True, False}
    assert {r.word for r in records} == set(get_args(hints["word"]))
    assert {len(r.many) for r in records} == {0, 1, 2, 3}
    assert {r.moment.tzinfo for r in records} == {UTC}


def test_inherited_generic_and_recursive_dataclasses() -> None:
    child = Urn(7).draw(kinds.Child, 20)
    assert all(
        isinstance(c.d, date) and isinstance(c.c, float) and c.later % c.a == 0 for c in child
    )
    assert all(
        isinstance(i, int)
        for box in Urn(7).draw(kinds.Box[int], 20)
        for i in [box.inside, *box.more]
    )
    node, depth = Urn(7).draw(kinds.Node, name="root"), 0
    while node is not None and depth < 20:
        node, depth = node.parent, depth + 1
    assert depth < 8


def test_limits_of_annotations_hold() -> None:
    for record in Urn(7).draw(kinds.Limited, 400):
        assert 3 <= record.small < 6
        assert record.even % 2 == 0
        assert 10 <= record.even <= 20
        assert 0 < record.real <= 1
        assert Decimal("1.5") <= record.money <= Decimal("2.5")
        assert 3 <= len(record.text) <= 5
        assert 2 <= len(record.items) <= 4
        assert record.odd % 2 == 1
        assert date(2030, 1, 1) <= record.day <= date(2030, 1, 31)


def test_drawn_records_pass_the_validation_of_their_own_libraries() -> None:
    for model in Urn(7).draw(kinds.Model, 100):
        assert (
            kinds.Model.model_validate(model.model_dump(by_alias=True) | {"first": model.choice})
            == model
        )
        assert model.choice % 2 == 1
    for struct in Urn(7).draw(kinds.Struct, 100):
        assert msgspec.convert(msgspec.to_builtins(struct), kinds.Struct) == struct
    for record in Urn(7).draw(kinds.WithAttrs, 100):
        attrs.validate(record)
    adapter = pydantic.TypeAdapter(kinds.Loose)
    drawn = Urn(7).draw(kinds.Loose, 100)
    assert all(adapter.validate_python(d) == d for d in drawn)
    assert {"a" in d for d in drawn} == {True, False}


def test_mapped_classes_are_drawn_and_stored_by_a_real_database() -> None:
    import sqlalchemy as sa
    from sqlalchemy.orm import Session

    engine = sa.create_engine("sqlite://")
    kinds.Mapper.metadata.create_all(engine)
    with Session(engine) as session:
        session.add_all(Urn(7).draw(kinds.Row, 50))
        session.commit()
        rows = session.scalars(sa.select(kinds.Row)).all()
    assert len(rows) == 50
    assert all(len(row.name) <= 12 and row.price < 10_000 and row.kind in "ab" for row in rows)
    engine.dispose()


def test_json_schemas_are_drawn_valid() -> None:
    drawn = Urn(7).draw(kinds.SCHEMA, 200)
    validator = jsonschema.Draft202012Validator(
        kinds.SCHEMA, format_checker=jsonschema.FormatChecker()
    )
    for value in drawn:
        validator.validate(value)
    assert {key for value in drawn for key in value} == set(kinds.SCHEMA["properties"])  # type: ignore[call-overload]
    assert Urn(7).draw(kinds.SCHEMA, range(100, 110)) == drawn[100:110]


@pytest.mark.parametrize(
    ("schema", "complaint"),
    [
        ({"$ref": "#/$defs/gone"}, "leads nowhere"),
        ({"$ref": "other.json"}, "leads outside"),
        ({"type": "colour"}, "none of JSON's"),
        (
            {"properties": {"a": False}, "required": ["a"]},
            "#/properties/a: it is required, and nothing is allowed there",
        ),
        ({"allOf": [{"type": "string"}, {"type": "integer"}]}, "#: no value keeps all that is"),
        ({"$ref": "#"}, "in a circle"),
        ({"type": "integer", "minimum": 5, "maximum": 3}, "no int lies between 5 and 3"),
    ],
)
def test_a_schema_that_cannot_be_drawn_says_where(schema: Any, complaint: str) -> None:
    with pytest.raises(RecordRefused, match=complaint):
        Urn(7).draw(schema)


def test_any_annotation_is_drawn() -> None:
    assert all(isinstance(n, int) for n in Urn(7).draw(list[int], 20)[3])
    assert isinstance(Urn(7).draw(dict[str, tuple[int, bool]]), dict)
    assert Urn(7).draw(kinds.Flag) in kinds.Flag
    assert Urn(7).draw(int, 5) == Urn(7).draw(int, 5)


# --- names ----------------------------------------------------------------------------------------


@dataclass
class Person:
    given_name: str
    family_name: str
    full_name: str
    email: str
    phone: str
    username: str
    street: str
    postcode: str
    city: str
    country: str
    country_code: str
    company: str
    job_title: str
    website: str
    slug: str
    colour: str
    currency: str
    price: Decimal
    percentage: float
    latitude: float
    longitude: float
    created_at: datetime
    updated_at: datetime
    starts_on: date
    ends_on: date
    quantity: int
    weight: float
    age: int
    code: str
    status: str
    description: str
    ip_address: str
    mac_address: str
    barcode: str
    server_host: str
    work_email: str
    billing_address: str


def test_names_mean_something_and_values_fit_together() -> None:
    for person in Urn(7).draw(Person, 600):
        given, family = ascii_of(person.given_name), ascii_of(person.family_name)
        assert person.full_name == f"{person.given_name} {person.family_name}"
        assert person.email.startswith(f"{given}.{family}")
        assert person.updated_at > person.created_at
        assert person.ends_on > person.starts_on
        assert -90 <= person.latitude <= 90
        assert 0 <= person.percentage <= 100
        assert 18 <= person.age <= 90
        assert re.fullmatch(r"[1-9]\d{4}", person.postcode)
        assert re.fullmatch(r"[a-z]+-[a-z]+-\d+", person.slug)
        assert person.description.endswith(".")
        digits = [int(d) for d in person.barcode]
        assert sum(d * (3 if i % 2 else 1) for i, d in enumerate(digits)) % 10 == 0


def test_nothing_drawn_belongs_to_anybody() -> None:
    networks = [
        ipaddress.ip_network(n) for n in ("192.0.2.0/24", "198.51.100.0/24", "203.0.113.0/24")
    ]
    at_reserved = re.compile(r"[a-z0-9._-]+@example\.(com|net|org)")
    telephone = re.compile(r"\+44 1632 960\d{3}|\+44 20 7946 0\d{3}")
    columns: dict[str, set[str]] = {f.name: set() for f in fields(Person)}
    for chunk in Urn(11).chunks(Person, 40_000):
        for name in (
            "email",
            "work_email",
            "phone",
            "website",
            "server_host",
            "ip_address",
            "mac_address",
            "barcode",
        ):
            columns[name].update(getattr(person, name) for person in chunk)
    assert all(at_reserved.fullmatch(mail) for mail in columns["email"] | columns["work_email"])
    assert all(telephone.fullmatch(number) for number in columns["phone"])
    assert all(
        re.fullmatch(r"https://[a-z]+\.(example|test)/[a-z0-9-]+", url)
        for url in columns["website"]
    )
    assert all(re.fullmatch(r"[a-z]+\.(example|test)", host) for host in columns["server_host"])
    assert all(any(ipaddress.ip_address(ip) in n for n in networks) for ip in columns["ip_address"])
    assert all(mac.startswith("00:00:5e:00:53:") for mac in columns["mac_address"])
    assert all(code.startswith("2") for code in columns["barcode"])
    assert all(
        ip in ipaddress.ip_network("2001:db8::/32")
        for ip in Urn(7).draw(ipaddress.IPv6Address, 500)
    )


def hashed(word: str) -> str:
    return hashlib.blake2b(word.encode(), digest_size=5).hexdigest()


def test_people_places_and_words_are_made_up(root: Path) -> None:
    """The hashes are of those given names, family names, places of 500 people or more and English
    words, in public lists, that could be made of syllables and endings like ours.
    """
    existing = set((root / "tests" / "golden" / "existing_names.hashes").read_text().split())
    streets = [street.rpartition(" ")[0] for street in gazetteer.STREETS]
    lists = [people.GIVEN, people.FAMILY, gazetteer.TOWNS, gazetteer.REGIONS, streets]
    assert [len({*one}) for one in lists] == [len(one) for one in lists]
    assert [len(one) for one in lists[:4]] == [255, 310, 240, 36]
    assert all(any(not name.isascii() for name in one) for one in lists[:3])
    made = {name.lower() for one in lists for name in one}
    syllables = words.SYLLABLES
    made |= {a + b for a in syllables for b in syllables}
    made |= {a + b + c for a in syllables for b in syllables for c in syllables}
    assert sorted(word for word in made if hashed(word) in existing) == []
    assert len(existing) == 421


def test_what_is_drawn_is_made_of_these_words() -> None:
    persons = Urn(7).draw(Person, 300)
    texts = Urn(7).draw(str, 300)
    assert {person.given_name for person in persons} <= set(people.GIVEN)
    assert {person.family_name for person in persons} <= set(people.FAMILY)
    assert {berth.harbour for berth in Urn(7).draw(Berth, 3000)} == set(gazetteer.TOWNS)
    syllables = f"({'|'.join(words.SYLLABLES)})"
    assert all(re.fullmatch(f"{syllables}{{2,3}}", text.lower()) for text in texts)


# --- rules ----------------------------------------------------------------------------------------


@dataclass
class Lot:
    id: int
    a: Any
    b: Any
    c: Any


def column(n: int = 800, **given: Any) -> list[Any]:
    return [lot.a for lot in Urn(7).draw(Lot, n, **{"b": 0, "c": 0} | given)]


def test_ranges() -> None:
    assert set(column(a=rules.between(3, 5))) == {3, 4, 5}
    assert set(column(a=rules.between(0.1, 0.3, decimals=1))) == {0.1, 0.2, 0.3}
    assert set(column(a=rules.between(Decimal("1.00"), Decimal("1.02")))) == {
        Decimal(f"1.0{i}") for i in range(3)
    }
    assert set(column(a=rules.between(date(2030, 1, 1), date(2030, 1, 3)))) == {
        date(2030, 1, d) for d in (1, 2, 3)
    }
    low, high = datetime(2030, 1, 1, tzinfo=UTC), datetime(2030, 1, 2, tzinfo=UTC)
    assert all(low <= moment <= high for moment in column(a=rules.between(low, high)))
    assert all(
        timedelta(0) <= s <= timedelta(hours=1)
        for s in column(a=rules.between(timedelta(0), timedelta(hours=1)))
    )
    big = column(a=rules.between(-(2**60), 2**60))
    assert len(set(big)) == 800


def test_choices_constants_and_none() -> None:
    drawn = Counter(column(8000, a=rules.among("x", "y", weights=[3, 1])))
    assert scipy.stats.chisquare([drawn["x"], drawn["y"]], [6000, 2000]).pvalue > 0.001
    even = Counter(column(8000, a=rules.among(list(range(10)))))
    assert scipy.stats.chisquare(list(even.values())).pvalue > 0.001
    assert set(column(a="fixed")) == {"fixed"} == set(column(a=rules.constant("fixed")))
    share = column(4000, a=rules.sometimes_none(rules.between(1, 9), rate=0.1)).count(None) / 4000
    assert 0.07 < share < 0.13


def test_texts() -> None:
    expression = r"^(B|QY)-[A-F]{2}\d{2,3}(x?|[^a-zA-Z])$"
    drawn = column(a=rules.pattern(expression))
    assert all(re.fullmatch(expression, text) for text in drawn)
    assert len(set(drawn)) > 700
    assert column(3, a=rules.serial("B-")) == ["B-0001", "B-0002", "B-0003"]
    assert column(3, a=rules.serial(start=10)) == [10, 11, 12]
    assert column(2, a=rules.template("{b}/{id}"), b="quay") == ["quay/1", "quay/2"]


def test_values_from_other_fields() -> None:
    given = {
        "b": rules.between(1, 5),
        "c": rules.derived(lambda b: b * 2),
        "a": rules.derived(lambda x, y: x + y, "b", "c"),
    }
    assert all(lot.a == lot.b * 3 and lot.c == lot.b * 2 for lot in Urn(7).draw(Lot, 600, **given))
    assert all(lot.a == lot.id + 1 for lot in Urn(7).draw(Lot, 5, a=lambda id: id + 1, b=0, c=0))


def test_all_different() -> None:
    assert sorted(column(100, a=rules.all_different(rules.between(1, 100)))) == list(range(1, 101))
    assert len(set(column(600, a=rules.all_different(rules.pattern(r"[A-Z]{2}"))))) == 600
    assert sorted(column(3, a=rules.all_different(["x", "y", "z"]))) == ["x", "y", "z"]
    with pytest.raises(
        RecordRefused, match="Lot.a: record 4 has no value left, there are only 3 d"
    ):
        column(4, a=rules.all_different(["x", "y", "z"]))


def test_distributions_are_what_they_say() -> None:
    normal = scipy.stats.norm(10, 2)
    assert scipy.stats.kstest(column(4000, a=rules.distribution(normal)), normal.cdf).pvalue > 0.001
    kept = column(1000, a=rules.distribution(normal, low=9, high=11))
    assert 9 <= min(kept) <= max(kept) <= 11
    cut = column(1000, a=rules.distribution(normal, low=9, high=11, outside="clip", decimals=1))
    assert {9, 11} <= set(cut)
    uniform = scipy.stats.uniform(0, 1)
    assert (
        scipy.stats.kstest(
            [v / 10**6 for v in column(4000, a=rules.between(0, 10**6))], uniform.cdf
        ).pvalue
        > 0.001
    )


def test_a_drift_goes_by_small_steps_and_any_slice_is_the_same_alone() -> None:
    walk = column(2000, a=rules.drift(start=5.0, step=0.1))
    steps = [abs(b - a) for a, b in pairwise(walk)]
    assert max(steps) < 2
    assert max(walk) - min(walk) > 1
    far = Urn(7).draw(
        Lot, range(1_000_000, 1_000_010), a=rules.drift(start=5.0, step=0.1), b=0, c=0
    )
    again = Urn(7).draw(
        Lot, range(1_000_005, 1_000_006), a=rules.drift(start=5.0, step=0.1), b=0, c=0
    )
    assert far[5] == again[0]


def test_links_hold() -> None:
    shelf = Shelf(seed=7)
    shelf.stock(Vessel, 5)
    shelf.stock(Berth, 3)
    moorings = shelf.stock(Mooring, 60, vessel_id=rules.link(Vessel), berth_id=rules.link(Berth))
    assert {m.vessel_id for m in moorings} == {1, 2, 3, 4, 5}
    assert {m.berth_id for m in moorings} == {1, 2, 3}
    alone = Urn(7).draw(Mooring, 200, vessel_id=rules.link(Vessel, count=4))
    assert {m.vessel_id for m in alone} == {1, 2, 3, 4}
    codes = {b.code for b in Urn(7).draw(Berth, 4)}
    assert {
        lot.a for lot in Urn(7).draw(Lot, 50, a=rules.link(Berth, "code", count=4), b=0, c=0)
    } == codes


def test_rules_that_are_set_hold_until_overridden() -> None:
    urn = Urn(7)
    urn.set_rules(
        Berth, harbour=rules.among("Ternhythe", "Curlhythe"), depth_m=rules.between(5.0, 6.0)
    )
    berths = urn.draw(Berth, 100)
    assert {b.harbour for b in berths} == {"Ternhythe", "Curlhythe"}
    assert {b.harbour for b in urn.draw(Berth, 5, harbour="Gullkeld")} == {"Gullkeld"}
    assert [b.code for b in berths] == [b.code for b in Urn(7).draw(Berth, 100)]


@pytest.mark.parametrize(
    ("wrong", "complaint"),
    [
        (lambda: rules.between(5, 3), "must not be the greater one"),
        (lambda: rules.between(1, date(2030, 1, 1)), "of one kind"),
        (lambda: rules.between("a", "b"), "a range is of numbers"),
        (lambda: rules.between(0.001, 0.002), "places"),
        (lambda: rules.among(), "at least one"),
        (lambda: rules.among("a", weights=[1, 2]), "one whole number for each"),
        (lambda: rules.pattern("[a"), "'\\[a' is no regular expression: unterminated"),
        (lambda: rules.pattern(r"\d{3,1}"), "is no regular expression: min repeat greater"),
        (lambda: rules.pattern(r"[a-\d]"), "is no regular expression: bad character range"),
        (lambda: rules.pattern("a)"), "is no regular expression: unbalanced"),
        (lambda: rules.pattern(r"(a)\1"), "cannot be drawn because of the back-reference"),
        (lambda: rules.pattern(r"(?x) a b"), "a condition, a back-reference or a flag"),
        (lambda: rules.pattern(r"(?P<n>a)(?P=n)"), "a condition, a back-reference or a flag"),
        (lambda: column(a=rules.pattern(r"a(?=b)c")), "cannot be drawn: none of 200 texts"),
        (lambda: rules.all_different(rules.template("{a}")), "can be counted"),
        (lambda: rules.distribution(5), "frozen distribution"),
        (lambda: rules.distribution(scipy.stats.norm(), outside="x"), "'redraw' or 'clip'"),
        (lambda: rules.sometimes_none(1, rate=2), "between 0 and 1"),
        (lambda: rules.derived(5), "takes a function"),
        (
            lambda: column(a=rules.derived(lambda b: b), b=rules.derived(lambda a: a)),
            "circle: a → b → a",
        ),
        (lambda: column(a=rules.template("{z}")), "needs the field 'z'"),
        (lambda: column(1, a=rules.distribution(scipy.stats.norm(0, 1), low=50)), "in 200 tries"),
        (lambda: Urn(7).draw(Berth, harbor="x"), "no field 'harbor'; did you mean 'harbour'"),
        (lambda: Urn(7).draw(Berth, -1), "a whole number from 0"),
        (lambda: Urn(7).draw(Berth, True), "a whole number from 0"),
        (lambda: Urn(7).draw(int, 3, size=4), "has no fields"),
        (lambda: URN.set_rules(int, a=1), "is no record type"),
        (lambda: URN.set_rules(Berth, harbor=1), "did you mean 'harbour'"),
        (lambda: Urn(7).draw(type), "cannot draw type"),
        (lambda: Urn(7).data_frame(int, 3), "takes a record type"),
    ],
)
def test_bad_rules_say_what_to_do(wrong: Any, complaint: str) -> None:
    with pytest.raises(RecordRefused, match=complaint):
        wrong()


@dataclass
class Vetted:
    level: int

    def __post_init__(self) -> None:
        if self.level > 0:
            raise ValueError("never good enough")


def test_a_record_that_refuses_everything_says_so() -> None:
    with pytest.raises(
        RecordRefused, match="Vetted refused all 200 records.*never good enough.*Give rules"
    ):
        Urn(7).draw(Vetted)


@dataclass
class Engine:
    power: type


@dataclass
class Hull:
    engine: Engine


def test_what_cannot_be_drawn_names_the_path() -> None:
    with pytest.raises(
        RecordRefused,
        match=r"cannot draw Hull.engine.power: nothing is known of the type type.*"
        r"draw\(Hull, engine=…\)",
    ):
        Urn(7).draw(Hull)


# --- purity ---------------------------------------------------------------------------------------


@examples(60)
@given(st.integers(), st.integers(0, 10**12), st.integers(1, 30))
def test_slices_scalars_and_columns_agree(seed: int, start: int, length: int) -> None:
    whole = Urn(seed).draw(Person, range(start, start + 600))  # in columns
    at = length * 19 % 500
    assert (
        Urn(seed).draw(Person, range(start + at, start + at + length)) == whole[at : at + length]
    )  # one by one


def test_one_rule_changed_changes_only_what_depends_on_it() -> None:
    before = Urn(7).draw(Person, 50)
    after = Urn(7).draw(Person, 50, given_name="Arla")
    changed = {
        f.name
        for f in fields(Person)
        for a, b in zip(before, after, strict=True)
        if getattr(a, f.name) != getattr(b, f.name)
    }
    assert changed == {"given_name", "full_name", "email", "work_email", "username"}


def test_streams_and_frames_are_the_same_records() -> None:
    from itertools import islice

    berths = Urn(7).draw(Berth, 1000)
    assert list(islice(Urn(7).stream(Berth), 1000)) == berths
    frame = Urn(7).data_frame(Berth, 1000)
    assert list(frame.columns) == [f.name for f in fields(Berth)]
    for name in ("id", "code", "harbour", "length_m", "day_rate", "in_service", "defect"):
        column = [
            None if value != value else value for value in frame[name].tolist()
        ]  # pandas has NaN for None
        assert column == [getattr(b, name) for b in berths], name
    assert str(frame["harbour"].dtype) == "category"
    moorings = Urn(7).data_frame(Mooring, 100)
    assert [t.to_pydatetime().replace(tzinfo=UTC) for t in moorings["arrival"]] == [
        m.arrival for m in Urn(7).draw(Mooring, 100)
    ]


def test_lanes_are_bits() -> None:
    from urnshelf.urn.lanes import lanes
    from urnshelf.urn.mixing import Bits

    for bound in (1, 2, 999, 2**32, 2**32 + 1, 10**12, 2**62, 2**63):
        many = lanes(12345, range(50, 80)).sub(3)
        many.next()
        single = [Bits(12345, i).sub(3) for i in range(50, 80)]
        assert all(isinstance(b.next(), int) for b in single)
        assert many.below(bound).tolist() == [b.below(bound) for b in single]
    assert lanes(9, range(5)).unit().tolist() == [Bits(9, i).unit() for i in range(5)]
    assert isinstance(lanes(9, range(5)).unit(), numpy.ndarray)


def test_processes_agree() -> None:
    code = (
        "from urnshelf import Urn; from urnshelf.demo.harbour import Mooring; "
        "print(Urn(5).draw(Mooring, 700)[-1])"
    )
    out = {
        subprocess.run(
            [sys.executable, "-c", code],
            capture_output=True,
            text=True,
            check=True,
            env={"PYTHONHASHSEED": h},
        ).stdout
        for h in ("1", "2")
    }
    assert len(out) == 1
