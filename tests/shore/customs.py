"""The customs shed: declarations are checked, priced and filed. Texts, thresholds, rows."""

import re
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from decimal import ROUND_HALF_UP, Decimal
from typing import Protocol

CODE = re.compile(r"^([A-Z]{2})-(\d{4})([a-z]?)$")
FREE_UNTIL = Decimal("150")


class CustomsError(Exception):
    pass


class BadDeclaration(CustomsError):
    def __init__(self, field: str, why: str) -> None:
        super().__init__(f"{field}: {why}")
        self.field = field


class Sealed(CustomsError):
    pass


@dataclass(frozen=True)
class Declaration:
    number: str
    tariff: str
    declared_on: str
    value: Decimal
    kilos: float
    origin: str
    note: str | None = None


@dataclass(frozen=True)
class Duty:
    number: str
    amount: Decimal
    is_express: bool
    due_on: date


class DeclarationStore(Protocol):
    def find_by_number(self, number: str) -> Declaration | None: ...
    def save(self, declaration: Declaration) -> None: ...


class TariffTable(Protocol):
    def rate_for(self, chapter: str) -> Decimal:
        """The rate in percent; raises KeyError."""
        ...


class SealRegister(Protocol):
    def is_sealed(self, number: str) -> bool: ...


class Ledger(Protocol):
    def post(self, number: str, amount: Decimal) -> None: ...


def _rounded(amount: Decimal) -> Decimal:
    return amount.quantize(Decimal("0.01"), rounding=ROUND_HALF_UP)


class CustomsShed:
    def __init__(
        self,
        store: DeclarationStore,
        tariffs: TariffTable,
        seals: SealRegister,
        ledger: Ledger,
        *,
        express_fee: Decimal = Decimal("12.00"),
    ):
        self.store = store
        self.tariffs = tariffs
        self.seals = seals
        self.ledger = ledger
        self.express_fee = express_fee

    def assess(self, number: str, express: bool = False) -> Duty:
        """Raises BadDeclaration, Sealed."""
        if not number or not number.strip():
            raise BadDeclaration("number", "is empty")
        declaration = self.store.find_by_number(number)
        if declaration is None:
            raise BadDeclaration("number", f"{number} is unknown")
        if self.seals.is_sealed(number):
            raise Sealed(f"{number} is sealed")
        matched = CODE.match(declaration.tariff)
        if not matched:
            raise BadDeclaration("tariff", "is no code")
        chapter = matched.group(1)
        try:
            day = datetime.strptime(declaration.declared_on, "%d.%m.%Y").date()
        except ValueError:
            raise BadDeclaration("declared_on", "is no date") from None
        if day.year < 2020:
            raise BadDeclaration("declared_on", "is too old")
        amount = self._duty(declaration, chapter, matched.group(3))
        if express:
            amount += self.express_fee
            due = day + timedelta(days=2)
        else:
            due = day + timedelta(days=14)
        if due.weekday() >= 5:
            due += timedelta(days=7 - due.weekday())
        if amount > 0:
            self.ledger.post(number, amount)
        return Duty(number, amount, express, due)

    def _duty(self, declaration: Declaration, chapter: str, suffix: str) -> Decimal:
        if declaration.value <= 0:
            raise BadDeclaration("value", "is nothing")
        if declaration.value <= FREE_UNTIL and declaration.origin != "Curlmark":
            return Decimal(0)
        try:
            rate = self.tariffs.rate_for(chapter)
        except KeyError:
            rate = Decimal("25")
        amount = declaration.value * rate / 100
        per_kilo = 2 if suffix == "b" else 1
        if declaration.kilos > 1000:
            amount += Decimal(int(declaration.kilos // 1000) * 5 * per_kilo)
        if declaration.note and "fragile" in declaration.note.lower():
            amount *= Decimal("1.1")
        return _rounded(min(amount, declaration.value))

    def correct(self, number: str, value: Decimal) -> bool:
        declaration = self.store.find_by_number(number)
        if declaration is None or declaration.value == value:
            return False
        if declaration.number[:4] == "2031" and declaration.number[5:7] in ("01", "02"):
            raise Sealed("the first months are closed")
        changed = Declaration(
            declaration.number,
            declaration.tariff,
            declaration.declared_on,
            value,
            declaration.kilos,
            declaration.origin,
            declaration.note,
        )
        self.store.save(changed)
        return True
