"""The ship chandler: a unit of work that a factory gives, rows as dictionaries, retries."""

import logging
import time
from collections.abc import Callable
from contextlib import AbstractContextManager
from typing import Any, Protocol, Self

import attrs

log = logging.getLogger(__name__)


class OutOfStock(Exception):
    def __init__(self, sku: str, wanted: int, there: int) -> None:
        self.sku, self.wanted, self.there = sku, wanted, there
        super().__init__(f"{sku}: {wanted} wanted, {there} there")


class DepotDown(ConnectionError):
    pass


@attrs.frozen
class StockItem:
    sku: str
    on_hand: int
    unit_price: int
    perishable: bool = False


@attrs.frozen
class Order:
    order_no: int | None
    sku: str
    quantity: int
    total: int
    status: str = "open"


class StockItems(Protocol):
    def find_by_sku(self, sku: str) -> StockItem | None: ...
    def save(self, item: StockItem) -> None: ...


class Orders(Protocol):
    def add(self, order: Order) -> Order: ...


class UnitOfWork(AbstractContextManager["UnitOfWork"], Protocol):
    items: StockItems
    orders: Orders

    def __enter__(self) -> Self: ...
    def __exit__(self, *error: Any) -> None: ...
    def commit(self) -> None: ...


class CustomerDao(Protocol):
    def fetch_row(self, customer: str) -> dict[str, Any] | None: ...


class Depot(Protocol):
    def reserve(self, sku: str, quantity: int) -> str:
        """Raises DepotDown."""
        ...


class Mailer(Protocol):
    def send(self, to: str, text: str) -> None: ...


class Chandler:
    attempts = 3

    def __init__(
        self,
        new_unit: Callable[[], UnitOfWork],
        customers: CustomerDao,
        depot: Depot,
        mailer: Mailer,
    ) -> None:
        self._new_unit = new_unit
        self._customers = customers
        self._depot = depot
        self._mailer = mailer

    def order(self, customer: str, sku: str, quantity: int) -> Order:
        if quantity < 1 or quantity > 500:
            raise ValueError(f"quantity {quantity} is not between 1 and 500")
        row = self._customers.fetch_row(customer)
        if row is None:
            raise LookupError(f"no customer {customer}")
        if row.get("blocked"):
            raise PermissionError(f"{customer} is blocked")
        with self._new_unit() as unit:
            item = unit.items.find_by_sku(sku)
            if item is None:
                raise LookupError(f"no item {sku}")
            if item.on_hand < quantity:
                raise OutOfStock(sku, quantity, item.on_hand)
            total = self._price(item, quantity, row.get("tier", "plain"))
            ticket = self._reserve(sku, quantity)
            unit.items.save(attrs.evolve(item, on_hand=item.on_hand - quantity))
            status = "open" if ticket else "waiting"
            order = unit.orders.add(Order(None, sku, quantity, total, status))
            unit.commit()
        if row.get("email"):
            self._mailer.send(row["email"], f"order {order.order_no}: {quantity} of {sku}")
        return order

    @staticmethod
    def _price(item: StockItem, quantity: int, tier: str) -> int:
        total = item.unit_price * quantity
        if quantity >= 100:
            total -= total // 10
        elif quantity >= 20:
            total -= total // 20
        match tier:
            case "gold":
                total -= total // 5
            case "silver" if not item.perishable:
                total -= total // 10
            case "plain" | "silver":
                pass
            case _:
                log.warning("unknown tier %s", tier)
        return total

    def _reserve(self, sku: str, quantity: int) -> str | None:
        for attempt in range(1, self.attempts + 1):
            try:
                return self._depot.reserve(sku, quantity)
            except DepotDown:
                if attempt == self.attempts:
                    return None
                time.sleep(attempt * 0.5)
        return None
