"""The ferry's ticket office: an old class with a base, typed dictionaries, streams."""

import enum
from abc import ABC, abstractmethod
from collections.abc import Iterator
from datetime import date
from typing import NamedTuple, TypedDict


class Fare(enum.Enum):
    CHILD = "C"
    ADULT = "A"
    SENIOR = "S"


class Passenger(TypedDict):
    name: str
    age: int
    bicycle: bool
    card: str


class Ticket(NamedTuple):
    serial: int
    fare: Fare
    cents: int


class Booking(NamedTuple):
    booking_id: int
    sailing: date
    seats: int


class SoldOut(Exception):
    pass


class AbstractTicketRepository(ABC):
    @abstractmethod
    def list_by_sailing(self, sailing: date) -> list[Booking]: ...

    @abstractmethod
    def insert(self, booking: Booking) -> None: ...

    @abstractmethod
    def next_serial(self) -> int: ...


class AbstractManifest(ABC):
    @abstractmethod
    def passengers(self, sailing: date) -> Iterator[Passenger]: ...


class AbstractPrinter(ABC):
    @abstractmethod
    def print_ticket(self, ticket: Ticket) -> None: ...

    @property
    @abstractmethod
    def paper_left(self) -> int: ...


class Office:
    """What every office does."""

    capacity = 40

    def __init__(self, repository: AbstractTicketRepository, printer: AbstractPrinter):
        self.repository = repository
        self.printer = printer

    def seats_left(self, sailing: date) -> int:
        taken = sum(booking.seats for booking in self.repository.list_by_sailing(sailing))
        return max(0, self.capacity - taken)

    def _guard(self, sailing: date, wanted: int) -> None:
        left = self.seats_left(sailing)
        if wanted > left:
            raise SoldOut(f"{wanted} wanted, {left} left")


class FerryOffice(Office):
    def __init__(
        self,
        repository: AbstractTicketRepository,
        printer: AbstractPrinter,
        manifest: AbstractManifest,
        season: tuple[int, int] = (5, 9),
    ):
        super().__init__(repository, printer)
        self.manifest = manifest
        self.season = season

    def issue(self, sailing: date, passengers: list[Passenger]) -> list[Ticket]:
        if not passengers:
            return []
        self._guard(sailing, len(passengers))
        if self.printer.paper_left < len(passengers):
            raise RuntimeError("the printer needs paper")
        tickets = []
        for passenger in passengers:
            fare = self._fare(passenger["age"])
            cents = self._cents(fare, sailing, passenger)
            ticket = Ticket(self.repository.next_serial(), fare, cents)
            tickets.append(ticket)
            self.printer.print_ticket(ticket)
        if len([t for t in tickets if t.fare is Fare.CHILD]) >= 3:
            tickets = [t._replace(cents=t.cents // 2) for t in tickets]
        return tickets

    def _fare(self, age: int) -> Fare:
        if age < 0:
            raise ValueError("age")
        if age < 14:
            return Fare.CHILD
        return Fare.SENIOR if age >= 65 else Fare.ADULT

    def _cents(self, fare: Fare, sailing: date, passenger: Passenger) -> int:
        cents = {Fare.CHILD: 400, Fare.ADULT: 900, Fare.SENIOR: 600}[fare]
        first, last = self.season
        if first <= sailing.month <= last:
            cents += 150
        if passenger["bicycle"] and fare is not Fare.CHILD:
            cents += 200
        card = passenger["card"]
        if card.startswith("TER") and card[3:].isdigit():
            cents = cents * 9 // 10
        elif len(card) == 12:
            cents -= 50
        return cents

    def boarding(self, sailing: date, group: int = 10) -> Iterator[list[str]]:
        names: list[str] = []
        for passenger in self.manifest.passengers(sailing):
            if passenger["age"] < 2:
                continue
            names.append(passenger["name"].strip() or "unnamed")
            if len(names) == group:
                yield names
                names = []
        if names:
            yield names
