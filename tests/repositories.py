"""Repositories as people write them. Each method's docstring is how it must be read; `not read: …` tells why not."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import AsyncIterator, Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from decimal import Decimal
from enum import Enum
from typing import Any, Generic, Literal, NamedTuple, NotRequired, Protocol, TypedDict, TypeVar
from uuid import UUID

from urnshelf.demo.harbour import Berth, Mooring, Vessel, VesselKind

T = TypeVar("T")
K = TypeVar("K")


class Colour(Enum):
    RED = "red"
    GREEN = "green"


@dataclass
class Address:
    street: str
    city: str


@dataclass
class Owner:
    id: int | None
    email: str
    name: str
    age: int
    is_active: bool
    joined_at: datetime
    address: Address
    tags: list[str] = field(default_factory=list)
    score: Decimal = Decimal(0)


@dataclass
class Buoy:
    code: UUID
    colour: Colour
    lit: bool
    harbour: str


@dataclass
class CrewPlace:
    vessel_id: int
    place: int
    name: str


class Light(TypedDict):
    id: int
    harbour: str
    metres: NotRequired[float]


class Chart(NamedTuple):
    chart_id: str
    scale: int


@dataclass(frozen=True)
class Category:
    id: int
    title: str


@dataclass
class BerthSpec:
    harbour: str | None = None
    min_depth_m: float | None = None


class DeepEnough:
    def __init__(self, metres: float) -> None:
        self.metres = metres

    def is_satisfied_by(self, berth: Berth) -> bool:
        return berth.depth_m >= self.metres


class GenericRepository(Protocol[T, K]):
    def get(self, key: K) -> T | None:
        """SELECT * FROM vessel WHERE id = :key"""

    def get_by_id(self, id: K) -> T:
        """SELECT * FROM vessel WHERE id = :id"""

    def list(self) -> list[T]:
        """SELECT * FROM vessel ORDER BY id"""

    def add(self, entity: T) -> T:
        """INSERT INTO vessel VALUES (:vessel)"""

    def update(self, entity: T) -> T:
        """UPDATE vessel SET … WHERE id = :id"""

    def delete(self, id: K) -> bool:
        """DELETE FROM vessel WHERE id = :id"""

    def exists(self, id: K) -> bool:
        """SELECT EXISTS (SELECT * FROM vessel WHERE id = :id)"""

    def count(self) -> int:
        """SELECT count(*) FROM vessel"""


class LooksUp(ABC, Generic[T]):
    @abstractmethod
    def find_by_id(self, id: int) -> T | None:
        """SELECT * FROM vessel WHERE id = :id"""

    @abstractmethod
    def find_all(self) -> Iterable[T]:
        """SELECT * FROM vessel ORDER BY id"""

    @abstractmethod
    def exists_by_id(self, id: int) -> bool:
        """SELECT EXISTS (SELECT * FROM vessel WHERE id = :id)"""


class KeepsMany(ABC, Generic[T]):
    @abstractmethod
    def find_all_by_id(self, ids: Iterable[int]) -> list[T]:
        """SELECT * FROM vessel WHERE id IN (:ids) ORDER BY id"""

    @abstractmethod
    def save_all(self, entities: Iterable[T]) -> list[T]:
        """INSERT OR REPLACE INTO vessel VALUES (:vessel) for each"""

    @abstractmethod
    def delete_all(self) -> None:
        """DELETE FROM vessel"""


class KeepsOne(ABC, Generic[T]):
    @abstractmethod
    def save(self, entity: T) -> T:
        """INSERT OR REPLACE INTO vessel VALUES (:vessel)"""

    @abstractmethod
    def delete_by_id(self, id: int) -> None:
        """DELETE FROM vessel WHERE id = :id"""


class LooksUpBerths(LooksUp[Berth]):
    @abstractmethod
    def find_by_harbour(self, harbour: str) -> list[Berth]:
        """SELECT * FROM berth WHERE harbour = :harbour ORDER BY id"""


class Finders(Protocol):
    def find_by_email(self, email: str) -> Owner | None:
        """SELECT * FROM owner WHERE email = :email"""

    def get_by_name_and_age(self, name: str, age: int) -> Owner:
        """SELECT * FROM owner WHERE name = :name AND age = :age"""

    def find_one_by_email(self, address: str) -> Owner | None:
        """SELECT * FROM owner WHERE email = :address"""

    def find_all_by_name(self, name: str) -> list[Owner]:
        """SELECT * FROM owner WHERE name = :name ORDER BY id"""

    def exists_by_email(self, email: str) -> bool:
        """SELECT EXISTS (SELECT * FROM owner WHERE email = :email)"""

    def count_by_name(self, name: str) -> int:
        """SELECT count(*) FROM owner WHERE name = :name"""

    def find_by_joined_at_after(self, moment: datetime) -> list[Owner]:
        """SELECT * FROM owner WHERE joined_at > :moment ORDER BY id"""

    def find_by_address_city(self, city: str) -> list[Owner]:
        """SELECT * FROM owner WHERE json_extract(address, '$.city') = :city ORDER BY id"""

    def find_by_name_containing(self, part: str) -> list[Owner]:
        """SELECT * FROM owner WHERE instr(name, :part) > 0 ORDER BY id"""

    def find_by_age_in(self, ages: list[int]) -> list[Owner]:
        """SELECT * FROM owner WHERE age IN (:ages) ORDER BY id"""

    def find_first_by_name(self, name: str) -> Owner | None:
        """SELECT * FROM owner WHERE name = :name ORDER BY id LIMIT 1"""

    def delete_by_email(self, email: str) -> int:
        """DELETE FROM owner WHERE email = :email"""

    def find_by_shoe_size(self, size: int) -> list[Owner]:
        """not read: Owner has no field 'shoe_size'"""

    def email_exists(self, email: str) -> bool:
        """SELECT EXISTS (SELECT * FROM owner WHERE email = :email)"""

    def owner_exists(self, owner_id: int) -> bool:
        """SELECT EXISTS (SELECT * FROM owner WHERE id = :owner_id)"""

    def list_joined_before(self, moment: datetime) -> list[Owner]:
        """SELECT * FROM owner WHERE joined_at < :moment ORDER BY id"""

    def search(self, *, joined_since: datetime | None = None, name_prefix: str = "") -> list[Owner]:
        """SELECT * FROM owner WHERE joined_at >= :joined_since AND substr(name, 1, length(:name_prefix)) = :name_prefix ORDER BY id"""

    def find_by_age_between(self, low: int, high: int) -> list[Owner]:
        """SELECT * FROM owner WHERE age >= :low AND age <= :high ORDER BY id"""

    def find_by_tags(self, tags: list[str]) -> list[Owner]:
        """not read: it is not certain how 'tags' compares with a field of type list[str]"""

    def find_youngest(self) -> Owner:
        """not read: the word 'youngest' of its name is not accounted for"""


class CamelCase(Protocol):
    def findByEmail(self, email: str) -> Owner | None:
        """SELECT * FROM owner WHERE email = :email"""

    def getById(self, id: int) -> Owner:
        """SELECT * FROM owner WHERE id = :id"""

    def listAllSortedByNameDesc(self) -> list[Owner]:
        """SELECT * FROM owner ORDER BY name DESC, id"""

    def deleteById(self, id: int) -> None:
        """DELETE FROM owner WHERE id = :id"""


class Ordered(Protocol):
    def list_ordered_by_name(self) -> list[Owner]:
        """SELECT * FROM owner ORDER BY name, id"""

    def list_active_sorted_by_joined_at_desc(self) -> list[Owner]:
        """SELECT * FROM owner WHERE is_active = TRUE ORDER BY joined_at DESC, id"""

    def find_by_name_order_by_age(self, name: str) -> list[Owner]:
        """SELECT * FROM owner WHERE name = :name ORDER BY age, id"""

    def list(self, order_by: str = "name", descending: bool = False) -> list[Owner]:
        """SELECT * FROM owner ORDER BY :order_by, id"""


class Paged(Protocol):
    def list(self, limit: int = 50, offset: int = 0) -> list[Berth]:
        """SELECT * FROM berth ORDER BY id LIMIT :limit OFFSET :offset"""

    def list_page(self, page: int, page_size: int) -> list[Berth]:
        """SELECT * FROM berth ORDER BY id LIMIT :page_size OFFSET (:page - 1) * :page_size"""

    def list_and_count(
        self, *, harbour: str | None = None, limit: int = 20
    ) -> tuple[list[Berth], int]:
        """SELECT * FROM berth WHERE harbour = :harbour ORDER BY id LIMIT :limit"""

    def paginate(self, page: int = 1, per_page: int = 10) -> tuple[Sequence[Berth], int]:
        """SELECT * FROM berth ORDER BY id LIMIT :per_page OFFSET (:page - 1) * :per_page"""

    def list_after(self, after_id: int, limit: int) -> list[Berth]:
        """SELECT * FROM berth WHERE id > :after_id ORDER BY id LIMIT :limit"""

    def list_some(self, page: int) -> list[Berth]:
        """not read: the word 'some' of its name is not accounted for"""


class Filtered(Protocol):
    def list(self, *, harbour: str | None = None, in_service: bool | None = None) -> list[Berth]:
        """SELECT * FROM berth WHERE harbour = :harbour AND in_service = :in_service ORDER BY id"""

    def search(self, min_depth_m: float, max_length_m: float | None = None) -> list[Berth]:
        """SELECT * FROM berth WHERE depth_m >= :min_depth_m AND length_m <= :max_length_m ORDER BY id"""

    def find(self, **filters: Any) -> list[Berth]:
        """SELECT * FROM berth WHERE <each of :filters> ORDER BY id"""

    def filter(self, filters: dict[str, Any]) -> list[Berth]:
        """SELECT * FROM berth WHERE <each of :filters> ORDER BY id"""

    def find_one(self, **filters: Any) -> Berth | None:
        """SELECT * FROM berth WHERE <each of :filters>"""

    def find_where(self, predicate: Callable[[Berth], bool]) -> list[Berth]:
        """SELECT * FROM berth WHERE python(:predicate) ORDER BY id"""

    def count(self, harbour: str | None = None) -> int:
        """SELECT count(*) FROM berth WHERE harbour = :harbour"""

    def any(self, harbour: str) -> bool:
        """SELECT EXISTS (SELECT * FROM berth WHERE harbour = :harbour)"""

    def query(self, colour: str) -> list[Berth]:
        """not read: Berth has no field 'colour'"""


class Comparing(Protocol):
    def list_between(self, depth_m_gte: float, depth_m_lt: float) -> list[Berth]:
        """SELECT * FROM berth WHERE depth_m >= :depth_m_gte AND depth_m < :depth_m_lt ORDER BY id"""

    def list(self, depth_m_from: float, depth_m_to: float, length_m_above: float) -> list[Berth]:
        """SELECT * FROM berth WHERE depth_m >= :depth_m_from AND depth_m <= :depth_m_to AND length_m > :length_m_above ORDER BY id"""

    def list_by_code_prefix(self, prefix: str) -> list[Berth]:
        """SELECT * FROM berth WHERE substr(code, 1, length(:prefix)) = :prefix ORDER BY id"""

    def list_by(self, code_contains: str, defect_not: str) -> list[Berth]:
        """SELECT * FROM berth WHERE instr(code, :code_contains) > 0 AND defect <> :defect_not ORDER BY id"""

    def find(self, depth_m__gte: float, harbour__in: list[str]) -> list[Berth]:
        """SELECT * FROM berth WHERE depth_m >= :depth_m__gte AND harbour IN (:harbour__in) ORDER BY id"""


class Since(Protocol):
    def list_since(
        self, arrival_since: datetime, arrival_until: datetime | None = None
    ) -> list[Mooring]:
        """SELECT * FROM mooring WHERE arrival >= :arrival_since AND arrival <= :arrival_until ORDER BY id"""

    def list_before(self, arrival_before: datetime) -> list[Mooring]:
        """SELECT * FROM mooring WHERE arrival < :arrival_before ORDER BY id"""


class BySpec(Protocol):
    def matching(self, spec: BerthSpec) -> list[Berth]:
        """SELECT * FROM berth WHERE harbour = :spec.harbour AND depth_m >= :spec.min_depth_m ORDER BY id"""

    def find(self, spec: BerthSpec) -> list[Berth]:
        """SELECT * FROM berth WHERE harbour = :spec.harbour AND depth_m >= :spec.min_depth_m ORDER BY id"""

    def find_all(self, specification: DeepEnough) -> list[Berth]:
        """SELECT * FROM berth WHERE :specification.is_satisfied_by(*) ORDER BY id"""

    def count(self, spec: BerthSpec) -> int:
        """SELECT count(*) FROM berth WHERE harbour = :spec.harbour AND depth_m >= :spec.min_depth_m"""


class Flagged(Protocol):
    def list_in_service(self) -> list[Berth]:
        """SELECT * FROM berth WHERE in_service = TRUE ORDER BY id"""

    def list_not_in_service(self) -> list[Berth]:
        """SELECT * FROM berth WHERE NOT (in_service = TRUE) ORDER BY id"""

    def count_in_service(self, harbour: str) -> int:
        """SELECT count(*) FROM berth WHERE in_service = TRUE AND harbour = :harbour"""


class States(Protocol):
    def list_booked(self) -> list[Mooring]:
        """SELECT * FROM mooring WHERE state = 'booked' ORDER BY id"""

    def find_departed_by_vessel_id(self, vessel_id: int) -> list[Mooring]:
        """SELECT * FROM mooring WHERE state = 'departed' AND vessel_id = :vessel_id ORDER BY id"""

    def list_for_vessel(self, vessel: Vessel) -> list[Mooring]:
        """SELECT * FROM mooring WHERE vessel_id = :vessel ORDER BY id"""

    def list_for_berths(self, berth_ids: list[int]) -> list[Mooring]:
        """SELECT * FROM mooring WHERE berth_id IN (:berth_ids) ORDER BY id"""

    def list_unpaid(self) -> list[Mooring]:
        """not read: the word 'unpaid' of its name is not accounted for"""


class ManyKeys(Protocol):
    def get_many(self, ids: list[int]) -> list[Vessel]:
        """SELECT * FROM vessel WHERE id IN (:ids) ORDER BY its place in :ids"""

    def get_by_ids(self, vessel_ids: Sequence[int]) -> dict[int, Vessel]:
        """SELECT * FROM vessel WHERE id IN (:vessel_ids) ORDER BY id"""

    def fetch(self, *ids: int) -> tuple[Vessel, ...]:
        """SELECT * FROM vessel WHERE id IN (:ids) ORDER BY its place in :ids"""

    def list_by_flags(self, flags: set[str]) -> list[Vessel]:
        """SELECT * FROM vessel WHERE flag IN (:flags) ORDER BY id"""

    def delete_many(self, ids: list[int]) -> int:
        """DELETE FROM vessel WHERE id IN (:ids)"""


class Shapes(Protocol):
    def all(self) -> set[Category]:
        """SELECT * FROM category ORDER BY id"""

    def list(self) -> frozenset[Category]:
        """SELECT * FROM category ORDER BY id"""

    def by_key(self) -> Mapping[int, Category]:
        """SELECT * FROM category ORDER BY id"""

    def get_all(self) -> Iterator[Category]:
        """SELECT * FROM category ORDER BY id"""

    def as_tree(self) -> list[Category]:
        """not read: the verb 'as' is not one that is read"""


class AsyncRepository(Protocol):
    async def get(self, vessel_id: int) -> Vessel:
        """SELECT * FROM vessel WHERE id = :vessel_id"""

    async def find_by_call_sign(self, call_sign: str) -> Vessel | None:
        """SELECT * FROM vessel WHERE call_sign = :call_sign"""

    async def list(self, *, kind: VesselKind | None = None) -> list[Vessel]:
        """SELECT * FROM vessel WHERE kind = :kind ORDER BY id"""

    def stream(self) -> AsyncIterator[Vessel]:
        """SELECT * FROM vessel ORDER BY id"""

    async def save(self, vessel: Vessel) -> None:
        """INSERT OR REPLACE INTO vessel VALUES (:vessel)"""

    async def delete(self, vessel: Vessel) -> None:
        """DELETE FROM vessel WHERE id = :id"""


class Streams(Protocol):
    def stream_all(self) -> Iterator[Vessel]:
        """SELECT * FROM vessel ORDER BY id"""

    def iterate(self, flag: str) -> Iterator[Vessel]:
        """SELECT * FROM vessel WHERE flag = :flag ORDER BY id"""

    def scan_vessels(self) -> Iterator[Vessel]:
        """SELECT * FROM vessel ORDER BY id"""


class OwnNames(Protocol):
    def vessel(self, vessel_id: int) -> Vessel | None:
        """SELECT * FROM vessel WHERE id = :vessel_id"""

    def vessels(self) -> list[Vessel]:
        """SELECT * FROM vessel ORDER BY id"""

    def vessels_by_flag(self, flag: str) -> list[Vessel]:
        """SELECT * FROM vessel WHERE flag = :flag ORDER BY id"""

    def by_id(self, vessel_id: int) -> Vessel:
        """SELECT * FROM vessel WHERE id = :vessel_id"""

    def add_vessel(self, vessel: Vessel) -> int:
        """INSERT INTO vessel VALUES (:vessel)"""

    def remove_vessel(self, vessel_id: int) -> None:
        """DELETE FROM vessel WHERE id = :vessel_id"""

    def get_vessel_or_none(self, vessel_id: int) -> Vessel | None:
        """SELECT * FROM vessel WHERE id = :vessel_id"""


class OwnerDao:
    def get(self, id):
        """SELECT * FROM owner WHERE id = :id"""

    def find_by_email(self, email):
        """not read: it promises nothing in writing, and its name does not tell whether it gives one record or many"""

    def find_all(self):
        """SELECT * FROM owner ORDER BY id"""

    def list_by_name(self, name):
        """SELECT * FROM owner WHERE name = :name ORDER BY id"""

    def insert(self, owner):
        """INSERT INTO owner VALUES (:owner)"""

    def update(self, owner):
        """UPDATE owner SET … WHERE id = :id"""

    def delete(self, id):
        """DELETE FROM owner WHERE id = :id"""

    def count(self):
        """SELECT count(*) FROM owner"""

    def exists(self, id):
        """SELECT EXISTS (SELECT * FROM owner WHERE id = :id)"""

    def compute_bonus(self, id):
        """not read: the verb 'compute' is not one that is read"""


class RowDao(Protocol):
    def get(self, vessel_id: int) -> dict[str, Any] | None:
        """SELECT * FROM vessel WHERE id = :vessel_id"""

    def list(self, flag: str) -> list[dict[str, Any]]:
        """SELECT * FROM vessel WHERE flag = :flag ORDER BY id"""

    def insert(self, values: dict[str, Any]) -> int:
        """INSERT INTO vessel VALUES (…)"""

    def update(self, vessel_id: int, values: dict[str, Any]) -> None:
        """UPDATE vessel SET … WHERE id = :vessel_id"""

    def delete(self, vessel_id: int) -> int:
        """DELETE FROM vessel WHERE id = :vessel_id"""

    def save(self, vessel: Vessel) -> None:
        """INSERT OR REPLACE INTO vessel VALUES (:vessel)"""


class TypedRows(Protocol):
    def get(self, id: int) -> Light | None:
        """SELECT * FROM light WHERE id = :id"""

    def all(self) -> list[Light]:
        """SELECT * FROM light ORDER BY id"""

    def add(self, light: Light) -> Light:
        """INSERT INTO light VALUES (:light)"""


class Creating(Protocol):
    def create(
        self,
        email: str,
        name: str,
        age: int,
        is_active: bool,
        joined_at: datetime,
        address: Address,
    ) -> Owner:
        """INSERT INTO owner VALUES (…)"""

    def create_owner(self, **values: Any) -> Owner:
        """INSERT INTO owner VALUES (…)"""

    def create_many(self, owners: list[Owner]) -> int:
        """INSERT INTO owner VALUES (:owner) for each"""

    def bulk_insert(self, owners: Sequence[Owner]) -> None:
        """INSERT INTO owner VALUES (:owner) for each"""

    def add_all(self, owners: Iterable[Owner]) -> None:
        """INSERT INTO owner VALUES (:owner) for each"""


class Changing(Protocol):
    def update(self, owner: Owner, changes: dict[str, Any]) -> Owner:
        """UPDATE owner SET … WHERE id = :id"""

    def update_owner(self, owner_id: int, **changes: Any) -> Owner:
        """UPDATE owner SET … WHERE id = :owner_id"""

    def update_name(self, owner_id: int, name: str) -> None:
        """UPDATE owner SET name = :name WHERE id = :owner_id"""

    def set_is_active(self, owner_id: int, is_active: bool) -> bool:
        """UPDATE owner SET is_active = :is_active WHERE id = :owner_id"""

    def patch(self, owner_id: int, name: str | None = None, age: int | None = None) -> Owner | None:
        """UPDATE owner SET … WHERE id = :owner_id"""

    def upsert(self, owner: Owner) -> Owner:
        """INSERT OR REPLACE INTO owner VALUES (:owner)"""

    def promote(self, owner_id: int) -> None:
        """not read: the verb 'promote' is not one that is read; None is not obvious: another method gives Owner records, and it is given a key"""


class Removing(Protocol):
    def remove(self, owner: Owner) -> None:
        """DELETE FROM owner WHERE id = :id"""

    def delete(self, owner_id: int) -> Owner | None:
        """DELETE FROM owner WHERE id = :owner_id"""

    def delete_all_by_name(self, name: str) -> int:
        """DELETE FROM owner WHERE name = :name"""

    def delete_inactive(self) -> int:
        """not read: the word 'inactive' of its name is not accounted for"""

    def delete_active(self) -> int:
        """DELETE FROM owner WHERE is_active = TRUE"""

    def clear(self) -> None:
        """DELETE FROM owner"""

    def remove_all(self, owners: list[Owner]) -> None:
        """DELETE FROM owner WHERE id = :id for each"""

    def archive(self, owner: Owner) -> None:
        """not read: the verb 'archive' is not one that is read; None is not obvious: 'delete' could give back what it is given as 'owner'"""


class UuidKeys(Protocol):
    def get(self, code: UUID) -> Buoy:
        """SELECT * FROM buoy WHERE code = :code"""

    def find(self, id: UUID) -> Buoy | None:
        """SELECT * FROM buoy WHERE code = :id"""

    def list_red(self) -> list[Buoy]:
        """SELECT * FROM buoy WHERE colour = 'red' ORDER BY code"""

    def list_lit(self, harbour: str) -> list[Buoy]:
        """SELECT * FROM buoy WHERE lit = TRUE AND harbour = :harbour ORDER BY code"""

    def add(self, buoy: Buoy) -> UUID:
        """INSERT INTO buoy VALUES (:buoy)"""

    def list_by_colour(self, colour: Colour) -> list[Buoy]:
        """SELECT * FROM buoy WHERE colour = :colour ORDER BY code"""


class CompositeKeys(Protocol):
    def get(self, vessel_id: int, place: int) -> CrewPlace | None:
        """SELECT * FROM crew_place WHERE vessel_id = :vessel_id AND place = :place"""

    def list_by_vessel(self, vessel: Vessel) -> list[CrewPlace]:
        """SELECT * FROM crew_place WHERE vessel_id = :vessel ORDER BY rowid"""

    def save(self, crew_place: CrewPlace) -> None:
        """not read: CrewPlace has no key: shelf.define(CrewPlace, key='name')"""


class TextKeys(Protocol):
    def get(self, chart_id: str) -> Chart:
        """SELECT * FROM chart WHERE chart_id = :chart_id"""

    def list(self, min_scale: int) -> list[Chart]:
        """SELECT * FROM chart WHERE scale >= :min_scale ORDER BY chart_id"""

    def add(self, chart: Chart) -> str:
        """INSERT INTO chart VALUES (:chart)"""


class ReadOnly(Protocol):
    def lookup(self, vessel_id: int) -> Vessel | None:
        """SELECT * FROM vessel WHERE id = :vessel_id"""

    def look_up_by_call_sign(self, call_sign: str) -> Vessel | None:
        """SELECT * FROM vessel WHERE call_sign = :call_sign"""

    def retrieve(self, id: int) -> Vessel:
        """SELECT * FROM vessel WHERE id = :id"""

    def load_all(self) -> list[Vessel]:
        """SELECT * FROM vessel ORDER BY id"""

    def has(self, vessel_id: int) -> bool:
        """SELECT EXISTS (SELECT * FROM vessel WHERE id = :vessel_id)"""

    def contains(self, vessel_id: int) -> bool:
        """SELECT EXISTS (SELECT * FROM vessel WHERE id = :vessel_id)"""

    def first(self) -> Vessel | None:
        """SELECT * FROM vessel ORDER BY id LIMIT 1"""


class VesselFinder(Protocol):
    def contains(self, vessel: Vessel) -> bool:
        """not read: Vessel has no field 'vessel'"""

    def find_similar(self, similar_to: Vessel) -> list[Vessel]:
        """not read: the word 'similar' of its name is not accounted for"""

    def search(self, example: Vessel) -> list[Vessel]:
        """not read: Vessel has no field 'example'"""

    def list_by_kind(self, kind: str) -> list[Vessel]:
        """not read: it is not certain how 'kind' compares with a field of type VesselKind"""

    def list_by_ids(self, ids: list[str]) -> list[Vessel]:
        """not read: Vessel has no field 'ids'; did you mean 'id'?"""

    def list(self, insured_until: date) -> list[Vessel]:
        """not read: it is not certain how 'insured_until' compares with a field of type datetime"""

    def remove_from_harbour(self, owner: Vessel) -> None:
        """not read: Vessel has no field 'harbour'"""

    def save_draft(self, draft: Vessel) -> None:
        """not read: the word 'draft' of its name is not accounted for"""

    def exists(self, *, call_sign: str) -> bool:
        """SELECT EXISTS (SELECT * FROM vessel WHERE call_sign = :call_sign)"""

    def has_vessel(self, vessel_id: int) -> bool:
        """SELECT EXISTS (SELECT * FROM vessel WHERE id = :vessel_id)"""

    def exists_by_flag_and_kind(self, flag: str, kind: VesselKind) -> bool:
        """SELECT EXISTS (SELECT * FROM vessel WHERE flag = :flag AND kind = :kind)"""

    def count_by_flag(self, flag: str) -> int:
        """SELECT count(*) FROM vessel WHERE flag = :flag"""

    def count_all(self) -> int:
        """SELECT count(*) FROM vessel"""

    def is_known(self, vessel_id: int) -> bool:
        """not read: the verb 'is' is not one that is read"""


class MooringGateway(Protocol):
    def count_for(self, vessel: Vessel) -> int:
        """SELECT count(*) FROM mooring WHERE vessel_id = :vessel"""

    def for_vessel(self, vessel_id: int) -> list[Mooring]:
        """SELECT * FROM mooring WHERE vessel_id = :vessel_id ORDER BY id"""

    def find_for_vessel(self, vessel_id: int) -> list[Mooring]:
        """SELECT * FROM mooring WHERE vessel_id = :vessel_id ORDER BY id"""

    def latest(self, vessel_id: int) -> Mooring:
        """not read: the verb 'latest' is not one that is read"""


class Enriched(Protocol):
    def get_with_history(self, vessel_id: int) -> Vessel:
        """not read: Vessel has no field 'history'"""

    def get(self, vessel_id: int, for_update: bool = False) -> Vessel:
        """not read: Vessel has no field 'for_update'"""

    def list_summaries(self) -> list[str]:
        """not read: the word 'summaries' of its name is not accounted for"""

    def total_length(self) -> float:
        """not read: the verb 'total' is not one that is read"""

    def find_nearest(self, latitude: float, longitude: float) -> Vessel:
        """not read: the word 'nearest' of its name is not accounted for"""


class Literals(Protocol):
    def list(self, sort: Literal["name", "-name"] = "name") -> list[Vessel]:
        """SELECT * FROM vessel ORDER BY :sort, id"""

    def list_sorted(self, sort_by: list[str]) -> list[Vessel]:
        """SELECT * FROM vessel ORDER BY :sort_by, id"""


class Ignoring(Protocol):
    def find_by_name_ignore_case(self, name: str) -> Vessel | None:
        """SELECT * FROM vessel WHERE lower(name) = lower(:name)"""

    def search(self, name_icontains: str) -> list[Vessel]:
        """SELECT * FROM vessel WHERE instr(lower(name), lower(:name_icontains)) > 0 ORDER BY id"""

    def list(self, exclude_flag: str | None = None) -> list[Vessel]:
        """SELECT * FROM vessel WHERE flag <> :exclude_flag ORDER BY id"""


class VesselStore(Protocol):
    """Its records are told by its own name."""

    def ids(self) -> list[int]:
        """not read: the verb 'ids' is not one that is read"""

    def put(self, vessel: Vessel) -> None:
        """INSERT OR REPLACE INTO vessel VALUES (:vessel)"""

    def get(self, id: int) -> Vessel | None:
        """SELECT * FROM vessel WHERE id = :id"""


class Cache(Protocol):
    def get(self, key: str) -> bytes | None:
        """GET :key"""

    def set(self, key: str, value: bytes, ttl: int | None = None) -> None:
        """SET :key to :value"""

    def delete(self, key: str) -> None:
        """DELETE :key"""


class BigCache(Protocol):
    def get(self, key: str, default: Any = None) -> Any:
        """GET :key"""

    def set(self, key: str, value: Any, timeout: timedelta | None = None) -> bool:
        """SET :key to :value"""

    def add(self, key: str, value: Any, timeout: float | None = None) -> bool:
        """SET :key to :value where it has none"""

    def get_many(self, keys: list[str]) -> dict[str, Any]:
        """GET each of :keys"""

    def set_many(self, mapping: Mapping[str, Any], timeout: float | None = None) -> None:
        """SET each of :mapping"""

    def has(self, key: str) -> bool:
        """EXISTS :key"""

    def incr(self, key: str, delta: int = 1) -> int:
        """INCREMENT :key"""

    def decr(self, key: str) -> int:
        """DECREMENT :key"""

    def delete(self, key: str) -> bool:
        """DELETE :key"""

    def delete_many(self, keys: list[str]) -> None:
        """DELETE each of :keys"""

    def touch(self, key: str, timeout: float) -> bool:
        """EXPIRE :key"""

    def pop(self, key: str) -> Any:
        """GET and DELETE :key"""

    def keys(self) -> list[str]:
        """every key"""

    def clear(self) -> None:
        """DELETE every key"""

    def publish(self, channel: str, message: str) -> int:
        """not read: 'publish' is not among the methods of a key–value store that are read"""


class AsyncKeyValues(Protocol):
    async def get(self, key: str) -> Vessel | None:
        """GET :key"""

    async def put(self, key: str, value: Vessel, expires_in: float) -> None:
        """SET :key to :value"""

    async def exists(self, key: str) -> bool:
        """EXISTS :key"""


class SessionStore(Protocol):
    def load(self, token: str) -> dict[str, str]:
        """GET :token"""

    def save(self, token: str, data: dict[str, str], expires_at: datetime) -> None:
        """SET :token to :data"""

    def invalidate(self, token: str) -> None:
        """DELETE :token"""


class UnitOfWork(Protocol):
    owners: GenericRepository[Owner, int]

    def __enter__(self) -> UnitOfWork:
        """BEGIN"""

    def __exit__(self, *args: object) -> None:
        """ROLLBACK of what was not committed"""

    def commit(self) -> None:
        """COMMIT"""

    def rollback(self) -> None:
        """ROLLBACK"""


class AsyncUnitOfWork(ABC):
    vessels: AsyncRepository

    async def __aenter__(self) -> AsyncUnitOfWork:
        """BEGIN"""

    async def __aexit__(self, *args: object) -> None:
        """ROLLBACK of what was not committed"""

    @abstractmethod
    async def commit(self) -> None:
        """COMMIT"""

    @abstractmethod
    async def rollback(self) -> None:
        """ROLLBACK"""


class Transactions(Protocol):
    def begin(self) -> None:
        """BEGIN"""

    def commit(self) -> None:
        """COMMIT"""

    def rollback(self) -> None:
        """ROLLBACK"""

    def transaction(self) -> AbstractContextManager[None]:
        """a context manager; entering it gives None"""


# --- in the styles of published stores --------------------------------------------------------------


@dataclass
class Job:
    name: str
    due: datetime


@dataclass
class Page:
    slug: str
    title: str


class Answers(Protocol):
    def lookup(self, prompt: str, model: str) -> list[str] | None:
        """GET :prompt, :model"""

    def update(self, prompt: str, model: str, return_val: list[str]) -> None:
        """SET :prompt, :model to :return_val where it has one"""

    def clear(self) -> None:
        """DELETE every key"""


class Results(Protocol):
    def store_result(self, task_id: str, result: bytes, ttl: float | None = None) -> None:
        """SET result of :task_id to :result"""

    def get_result(self, task_id: str) -> bytes | None:
        """GET result of :task_id"""

    def forget(self, task_id: str) -> bool:
        """DELETE result of :task_id"""

    def is_ready(self, task_id: str) -> bool:
        """not read: 'is_ready' is not among the methods of a key–value store that are read"""


class Ring(Protocol):
    def get_password(self, service: str, username: str) -> str | None:
        """GET password of :service, :username"""

    def set_password(self, service: str, username: str, password: str) -> None:
        """SET password of :service, :username to :password"""

    def delete_password(self, service: str, username: str) -> None:
        """DELETE password of :service, :username"""


class ManyValues(Protocol):
    def mget(self, keys: Sequence[str]) -> list[bytes | None]:
        """GET each of :keys"""

    def mset(self, pairs: Sequence[tuple[str, bytes]]) -> None:
        """SET each of :pairs"""

    def mdelete(self, keys: Sequence[str]) -> None:
        """DELETE each of :keys"""

    def yield_keys(self, prefix: str | None = None) -> Iterator[str]:
        """every key that begins with :prefix"""


class Collections(Protocol):
    def get(self, key: str, *, collection: str | None = None) -> dict[str, Any] | None:
        """GET :key, :collection"""

    def put(self, key: str, value: Mapping[str, Any], *, collection: str | None = None) -> None:
        """SET :key, :collection to :value"""

    def delete_many(self, keys: Sequence[str], *, collection: str | None = None) -> int:
        """DELETE each of :keys, :collection"""

    def get_many(
        self, keys: Sequence[str], *, collection: str | None = None
    ) -> list[dict[str, Any] | None]:
        """GET each of :keys, :collection"""


class Twofold(Protocol):
    def get(self, key: str) -> str | None:
        """GET :key"""

    async def aget(self, key: str) -> str | None:
        """GET :key"""

    def set(self, key: str, value: str, ttl: int | None = None) -> None:
        """SET :key to :value"""

    async def aset(self, key: str, value: str, ttl: int | None = None) -> None:
        """SET :key to :value"""

    def inc(self, key: str, delta: int = 1) -> int:
        """INCREMENT :key"""

    def dec(self, key: str, delta: int = 1) -> int:
        """DECREMENT :key"""

    def delete_multi(self, keys: list[str]) -> None:
        """DELETE each of :keys"""

    async def adelete(self, key: str) -> None:
        """DELETE :key"""

    def touch(self, key: str) -> None:
        """not read: 'touch' lacks what it is about: expires and key"""

    def exists(self, *keys: str) -> int:
        """how many of :keys EXIST"""

    def exists_all(self, *keys: str) -> bool:
        """not read: 'exists_all' is read where it promises int"""


class Hits(Protocol):
    def incr(self, key: str, expiry: int, amount: int = 1) -> int:
        """INCREMENT :key"""

    def get(self, key: str) -> int:
        """GET :key"""

    def reset(self) -> int | None:
        """DELETE every key"""

    def clear(self, key: str) -> None:
        """DELETE :key"""


class Document(Protocol):
    def read(self) -> dict[str, Any] | None:
        """GET the value"""

    def write(self, data: dict[str, Any]) -> None:
        """SET the value to :data"""

    def close(self) -> None:
        """nothing to do: it promises None"""


class Bodies(Protocol):
    def get(self, key: str) -> bytes | None:
        """GET :key"""

    def set(self, key: str, value: bytes) -> None:
        """SET :key to :value"""

    def get_body(self, key: str) -> bytes | None:
        """not read: 'get_body' is not among the methods of a key–value store that are read"""

    def set_body(self, key: str, body: bytes) -> None:
        """not read: 'set_body' is not among the methods of a key–value store that are read"""


class JobQueue(Protocol):
    def push(self, job: Job) -> None:
        """INSERT INTO job VALUES (:job)"""

    def pop(self) -> Job | None:
        """SELECT the first job and DELETE"""

    def peek(self) -> Job | None:
        """SELECT the first job"""

    def drain(self) -> list[Job]:
        """SELECT every job, first come first, and DELETE"""

    def __len__(self) -> int:
        """not read: only public methods are read"""

    def flush(self) -> None:
        """not read: the verb 'flush' is not one that is read; None is not obvious: to flush may be to forget everything"""


class JobLog(Protocol):
    def append(self, job: Job) -> None:
        """INSERT INTO job VALUES (:job)"""

    def stream_between(self, start: datetime, end: datetime) -> Iterator[Job]:
        """SELECT * FROM job WHERE due >= :start AND due <= :end ORDER BY rowid"""

    def jobs(self) -> list[Job]:
        """SELECT * FROM job ORDER BY rowid"""

    def update(self, job: Job) -> None:
        """not read: Job has no key: shelf.define(Job, key='name')"""


class Pages(Protocol):
    def load(self, slug: str) -> Page | None:
        """SELECT * FROM page WHERE slug = :slug"""

    def save(self, page: Page) -> Page:
        """INSERT OR REPLACE INTO page VALUES (:page)"""

    def remove(self, page: Page) -> None:
        """DELETE FROM page WHERE slug = :slug"""

    def startup(self) -> None:
        """nothing to do: it promises None"""

    def ping(self) -> bool:
        """it is there"""

    def flush(self) -> None:
        """nothing to do: it promises None"""


class AsyncVessels(Protocol):
    async def aget(self, vessel_id: int) -> Vessel | None:
        """SELECT * FROM vessel WHERE id = :vessel_id"""

    async def asave(self, vessel: Vessel) -> None:
        """INSERT OR REPLACE INTO vessel VALUES (:vessel)"""

    async def alist_by_flag(self, flag: str) -> list[Vessel]:
        """SELECT * FROM vessel WHERE flag = :flag ORDER BY id"""

    async def get_async(self, vessel_id: int) -> Vessel:
        """SELECT * FROM vessel WHERE id = :vessel_id"""
