"""Twelve record types of twelve domains, each with what a reader would say is wrong of a record;
written from the types alone, before the names that the urn knows were touched.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import ROUND_HALF_UP, Decimal
from enum import Enum
from itertools import pairwise
from typing import Any, Literal

TODAY = date(2030, 6, 1)


def years(since: date, until: date) -> int:
    return until.year - since.year - ((until.month, until.day) < (since.month, since.day))


def day(moment: Any) -> Any:
    return moment.date() if isinstance(moment, datetime) else moment


def in_order(record: Any, *names: str) -> Iterator[str]:
    """What is not after what it should be after; what is None is passed over."""
    there = [(name, getattr(record, name)) for name in names]
    there = [(name, day(value)) for name, value in there if value is not None]
    for (one, earlier), (other, later) in pairwise(there):
        if later < earlier:
            yield f"{other} before {one}"


def within(record: Any, **bounds: tuple[float, float]) -> Iterator[str]:
    for name, (low, high) in bounds.items():
        value = getattr(record, name)
        if value is not None and not low <= value <= high:
            yield f"{name} is {value}"


def only_where(record: Any, name: str, is_there: bool) -> Iterator[str]:
    if (getattr(record, name) is not None) is not is_there:
        yield f"{name} is {getattr(record, name)}"


def same_person(name: str, mail: str) -> Iterator[str]:
    """A name and what is made of it: its plain letters are all there, in runs."""
    given, *_, family = [part for part in name.split() if part]
    for part in (given, family):
        runs = re.findall(r"[a-z]{2,}", part.lower())
        if not runs or any(run not in mail.lower() for run in runs):
            yield f"{mail} is not of {name}"


def cents(value: Decimal) -> Decimal:
    return value.quantize(Decimal("0.01"), ROUND_HALF_UP)


# --- insurance ------------------------------------------------------------------------------------


class PolicyStatus(Enum):
    QUOTED = "quoted"
    ACTIVE = "active"
    LAPSED = "lapsed"
    CANCELLED = "cancelled"


@dataclass
class Policy:
    id: int
    policy_number: str
    holder_name: str
    holder_email: str
    holder_birth_date: date
    holder_age: int
    status: PolicyStatus
    valid_from: date
    valid_until: date
    annual_premium: Decimal
    excess: Decimal
    sum_insured: Decimal
    cancelled_on: date | None
    created_at: datetime
    updated_at: datetime | None

    def faults(self) -> Iterator[str]:
        if self.holder_age != years(self.holder_birth_date, TODAY):
            yield f"aged {self.holder_age}, born {self.holder_birth_date}"
        yield from in_order(self, "holder_birth_date", "valid_from", "valid_until")
        yield from in_order(self, "created_at", "updated_at")
        yield from same_person(self.holder_name, self.holder_email)
        yield from within(self, holder_age=(16, 110), annual_premium=(10, 20_000))
        yield from within(self, sum_insured=(1000, 50_000_000), excess=(0, 20_000))
        yield from only_where(self, "cancelled_on", self.status is PolicyStatus.CANCELLED)
        if self.excess >= self.sum_insured or self.annual_premium >= self.sum_insured:
            yield "more than what is insured"


# --- medicine -------------------------------------------------------------------------------------


@dataclass
class ClinicVisit:
    id: int
    patient_id: int
    given_name: str
    family_name: str
    initials: str
    birth_date: date
    admitted_at: datetime
    discharged_at: datetime | None
    heart_rate: int
    systolic: int
    diastolic: int
    temperature_c: float
    height_cm: float
    weight_kg: float
    oxygen_saturation: float
    ward: str
    is_emergency: bool

    def faults(self) -> Iterator[str]:
        if self.initials.replace(".", "") != self.given_name[0] + self.family_name[0]:
            yield f"{self.initials} of {self.given_name} {self.family_name}"
        yield from in_order(self, "birth_date", "admitted_at", "discharged_at")
        if self.discharged_at and self.discharged_at <= self.admitted_at:
            yield "discharged before admitted"
        yield from within(self, heart_rate=(35, 200), systolic=(70, 230), diastolic=(35, 140))
        yield from within(self, height_cm=(45, 215), weight_kg=(2, 220))
        yield from within(self, temperature_c=(34, 42), oxygen_saturation=(70, 100))
        if self.systolic <= self.diastolic:
            yield f"{self.systolic} over {self.diastolic}"


# --- invoices -------------------------------------------------------------------------------------


class InvoiceStatus(Enum):
    DRAFT = "draft"
    ISSUED = "issued"
    PAID = "paid"
    OVERDUE = "overdue"
    CANCELLED = "cancelled"


@dataclass
class InvoiceLine:
    description: str
    quantity: int
    unit_price: Decimal
    total: Decimal


@dataclass
class Invoice:
    id: int
    invoice_number: str
    customer_name: str
    currency: str
    status: InvoiceStatus
    issued_on: date
    due_on: date
    paid_on: date | None
    lines: list[InvoiceLine]
    net: Decimal
    tax_rate: Decimal
    tax: Decimal
    gross: Decimal

    def faults(self) -> Iterator[str]:
        yield from in_order(self, "issued_on", "due_on")
        yield from in_order(self, "issued_on", "paid_on")
        yield from only_where(self, "paid_on", self.status is InvoiceStatus.PAID)
        for line in self.lines:
            if line.total != line.quantity * line.unit_price:
                yield f"{line.quantity} × {line.unit_price} = {line.total}"
            yield from within(line, quantity=(1, 1000), unit_price=(Decimal("0.01"), 10_000))
        if self.net != sum((line.total for line in self.lines), Decimal(0)):
            yield f"{self.net} is not the sum of the lines"
        if self.tax != cents(self.net * self.tax_rate / 100):
            yield f"{self.tax_rate} % of {self.net} is not {self.tax}"
        if self.gross != self.net + self.tax:
            yield f"{self.net} + {self.tax} = {self.gross}"
        yield from within(self, tax_rate=(0, 30))


# --- sensors --------------------------------------------------------------------------------------


@dataclass
class SensorReading:
    id: int
    sensor_code: str
    measured_at: datetime
    received_at: datetime
    latitude: float
    longitude: float
    temperature_c: float
    min_temperature_c: float
    max_temperature_c: float
    humidity: float
    pressure_hpa: float
    wind_speed_ms: float
    wind_direction_deg: int
    battery_percent: int
    rainfall_mm: float

    def faults(self) -> Iterator[str]:
        if self.received_at < self.measured_at:
            yield "received before measured"
        yield from within(self, latitude=(-90, 90), longitude=(-180, 180), humidity=(0, 100))
        yield from within(self, temperature_c=(-60, 60), pressure_hpa=(870, 1085))
        yield from within(self, wind_speed_ms=(0, 80), wind_direction_deg=(0, 360))
        yield from within(self, battery_percent=(0, 100), rainfall_mm=(0, 300))
        if not self.min_temperature_c <= self.temperature_c <= self.max_temperature_c:
            yield f"{self.min_temperature_c}, {self.temperature_c}, {self.max_temperature_c}"


# --- flights --------------------------------------------------------------------------------------


@dataclass
class Flight:
    id: int
    flight_number: str
    origin: str
    destination: str
    departure: datetime
    arrival: datetime
    duration_minutes: int
    distance_km: int
    seats: int
    seats_sold: int
    price: Decimal
    currency: str
    status: Literal["scheduled", "boarding", "departed", "arrived", "cancelled"]
    gate: str | None

    def faults(self) -> Iterator[str]:
        length = self.arrival - self.departure
        if not timedelta(minutes=20) <= length <= timedelta(hours=20):
            yield f"in the air for {length}"
        if length != timedelta(minutes=self.duration_minutes):
            yield f"{self.duration_minutes} minutes are not {length}"
        if self.origin == self.destination:
            yield "to where it came from"
        if self.seats_sold > self.seats:
            yield f"{self.seats_sold} of {self.seats} seats"
        yield from within(self, seats=(4, 900), distance_km=(50, 18_000), price=(5, 5000))


# --- employees ------------------------------------------------------------------------------------


@dataclass
class Employee:
    id: int
    given_name: str
    family_name: str
    email: str
    username: str
    phone: str
    birth_date: date
    hired_on: date
    left_on: date | None
    is_active: bool
    manager_id: int | None
    department: str
    job_title: str
    salary: Decimal
    city: str
    country_code: str
    weekly_hours: float
    vacation_days: int

    def faults(self) -> Iterator[str]:
        yield from same_person(f"{self.given_name} {self.family_name}", self.email)
        runs = re.findall(r"[a-z]{2,}", self.family_name.lower())
        if any(run not in self.username for run in runs):
            yield f"{self.username} is {self.family_name}'s"
        yield from in_order(self, "birth_date", "hired_on", "left_on")
        if not 16 <= years(self.birth_date, self.hired_on) <= 70:
            yield f"hired at {years(self.birth_date, self.hired_on)}"
        if self.is_active is (self.left_on is not None):
            yield "left, and active"
        if self.manager_id is not None and self.manager_id == self.id:
            yield "manages herself"
        yield from within(self, salary=(10_000, 500_000), weekly_hours=(1, 60))
        yield from within(self, vacation_days=(0, 60))


# --- shipments ------------------------------------------------------------------------------------


class ShipmentStatus(Enum):
    CREATED = "created"
    SHIPPED = "shipped"
    DELIVERED = "delivered"
    LOST = "lost"


@dataclass
class Shipment:
    id: int
    tracking_number: str
    status: ShipmentStatus
    ordered_at: datetime
    shipped_at: datetime | None
    delivered_at: datetime | None
    sender_name: str
    sender_city: str
    sender_country: str
    recipient_name: str
    recipient_email: str
    recipient_city: str
    recipient_postcode: str
    recipient_country: str
    recipient_country_code: str
    pieces: int
    weight_kg: float
    length_cm: float
    width_cm: float
    height_cm: float
    declared_value: Decimal
    shipping_cost: Decimal

    def faults(self) -> Iterator[str]:
        yield from in_order(self, "ordered_at", "shipped_at", "delivered_at")
        is_under_way = self.status in (ShipmentStatus.SHIPPED, ShipmentStatus.DELIVERED)
        if self.status is not ShipmentStatus.LOST:
            yield from only_where(self, "shipped_at", is_under_way)
        yield from only_where(self, "delivered_at", self.status is ShipmentStatus.DELIVERED)
        yield from same_person(self.recipient_name, self.recipient_email)
        yield from within(self, pieces=(1, 1000), weight_kg=(0.01, 1000), length_cm=(1, 300))
        yield from within(self, width_cm=(1, 300), height_cm=(1, 300), shipping_cost=(0, 1000))
        yield from within(self, declared_value=(1, 100_000))


# --- courses --------------------------------------------------------------------------------------


class BookingStatus(Enum):
    REQUESTED = "requested"
    CONFIRMED = "confirmed"
    COMPLETED = "completed"
    CANCELLED = "cancelled"


@dataclass
class CourseBooking:
    id: int
    course_code: str
    participant_name: str
    participant_email: str
    status: BookingStatus
    booked_at: datetime
    confirmed_at: datetime | None
    cancelled_at: datetime | None
    starts_on: date
    ends_on: date
    start_time: time
    end_time: time
    capacity: int
    booked_seats: int
    price: Decimal
    discount_percent: int
    grade: int | None
    rating: float | None

    def faults(self) -> Iterator[str]:
        yield from same_person(self.participant_name, self.participant_email)
        yield from in_order(self, "booked_at", "starts_on", "ends_on")
        yield from in_order(self, "booked_at", "confirmed_at")
        yield from in_order(self, "booked_at", "cancelled_at")
        yield from only_where(self, "cancelled_at", self.status is BookingStatus.CANCELLED)
        if self.status is BookingStatus.REQUESTED and self.confirmed_at is not None:
            yield "confirmed, and only requested"
        if self.start_time >= self.end_time:
            yield f"from {self.start_time} to {self.end_time}"
        if self.booked_seats > self.capacity:
            yield f"{self.booked_seats} of {self.capacity}"
        yield from within(self, capacity=(1, 1000), price=(1, 10_000), discount_percent=(0, 100))
        yield from within(self, grade=(1, 6), rating=(0, 5))


# --- tariffs --------------------------------------------------------------------------------------


@dataclass
class Tariff:
    id: int
    name: str
    country: str
    currency: str
    valid_from: date
    valid_to: date | None
    base_fee: Decimal
    price_per_kwh: Decimal
    low_price: Decimal
    high_price: Decimal
    min_kwh: int
    max_kwh: int
    vat_rate: float
    peak_from: time
    peak_until: time
    version: int

    def faults(self) -> Iterator[str]:
        yield from in_order(self, "valid_from", "valid_to")
        if self.low_price > self.high_price or self.min_kwh > self.max_kwh:
            yield "the least is the most"
        if self.peak_from >= self.peak_until:
            yield f"from {self.peak_from} to {self.peak_until}"
        yield from within(self, price_per_kwh=(Decimal("0.01"), 2), vat_rate=(0, 30))
        yield from within(self, base_fee=(0, 500), version=(1, 100), min_kwh=(0, 10**6))


# --- tenancies ------------------------------------------------------------------------------------


@dataclass
class Tenancy:
    id: int
    tenant_name: str
    tenant_email: str
    street: str
    house_number: str
    postcode: str
    city: str
    region: str
    country: str
    country_code: str
    timezone: str
    moved_in_on: date
    moved_out_on: date | None
    monthly_rent: Decimal
    deposit: Decimal
    rooms: int
    floor: int
    area_m2: float
    year_built: int
    notice_months: int

    def faults(self) -> Iterator[str]:
        yield from same_person(self.tenant_name, self.tenant_email)
        yield from in_order(self, "moved_in_on", "moved_out_on")
        if not self.monthly_rent / 2 <= self.deposit <= 6 * self.monthly_rent:
            yield f"a deposit of {self.deposit} for {self.monthly_rent}"
        yield from within(self, rooms=(1, 20), floor=(-2, 60), area_m2=(10, 500))
        yield from within(self, year_built=(1700, 2030), notice_months=(0, 24))
        yield from within(self, monthly_rent=(50, 20_000))
        if self.year_built > self.moved_in_on.year:
            yield f"built {self.year_built}, moved in {self.moved_in_on}"


# --- vaccinations ---------------------------------------------------------------------------------


@dataclass
class Vaccination:
    id: int
    patient_name: str
    birth_date: date
    vaccine_code: str
    batch_number: str
    manufactured_on: date
    expires_on: date
    given_on: date
    next_due_on: date | None
    dose_number: int
    doses_required: int
    dose_ml: float
    temperature_c: float
    given_by: str

    def faults(self) -> Iterator[str]:
        yield from in_order(self, "birth_date", "given_on", "next_due_on")
        yield from in_order(self, "manufactured_on", "given_on", "expires_on")
        if self.dose_number > self.doses_required:
            yield f"dose {self.dose_number} of {self.doses_required}"
        yield from within(self, dose_number=(1, 10), doses_required=(1, 10), dose_ml=(0.05, 10))


# --- energy ---------------------------------------------------------------------------------------


@dataclass
class EnergyMeter:
    id: int
    serial_number: str
    city: str
    latitude: float
    longitude: float
    installed_on: date
    removed_on: date | None
    last_read_at: datetime
    previous_reading_kwh: int
    current_reading_kwh: int
    consumption_kwh: int
    voltage_v: int
    max_current_a: int
    power_factor: float
    port: int
    firmware_version: str

    def faults(self) -> Iterator[str]:
        yield from in_order(self, "installed_on", "last_read_at", "removed_on")
        if self.consumption_kwh != self.current_reading_kwh - self.previous_reading_kwh:
            yield f"{self.consumption_kwh} is not the difference"
        if self.consumption_kwh < 0:
            yield "it runs backwards"
        yield from within(self, voltage_v=(100, 480), max_current_a=(5, 400), power_factor=(0, 1))
        yield from within(self, port=(1, 65_535))


TYPES = [
    Policy, ClinicVisit, Invoice, SensorReading, Flight, Employee, Shipment, CourseBooking, Tariff,
    Tenancy, Vaccination, EnergyMeter,
]  # fmt: skip


def faults_among(records: list[Any]) -> Iterator[str]:
    """What only several records show: circles, and one place in two countries."""
    first = records[0]
    if hasattr(first, "manager_id"):
        managers = {one.id: one.manager_id for one in records}
        for start in managers:
            seen, at = set(), start
            while at is not None and at not in seen:
                seen.add(at)
                at = managers.get(at)
            if at is not None:
                yield f"a circle of managers from {start}"
        if not any(managers.values()):
            yield "nobody has a manager"
    for prefix in ("", "sender_", "recipient_"):
        for other in ("country", "country_code", "currency", "timezone", "region", "postcode"):
            for of in ("city", "country", "country_code"):
                if hasattr(first, prefix + of) and hasattr(first, prefix + other):
                    yield from _follows(records, prefix + of, prefix + other)


def _follows(records: list[Any], of: str, other: str) -> Iterator[str]:
    """One place has one country; a postcode may be one of several."""
    if other.endswith(("postcode", "region")) and "country" in of:
        return
    if "country" in of and other.endswith("timezone"):
        return
    known: dict[Any, set[Any]] = {}
    for one in records:
        value = getattr(one, other)
        value = value[:2] if other.endswith("postcode") else value
        known.setdefault(getattr(one, of), set()).add(value)
    for place, values in known.items():
        if len(values) > 1:
            yield f"{place} has {other} {sorted(map(str, values))[:3]}"
