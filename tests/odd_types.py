"""Types that the command line has to show."""

from dataclasses import dataclass, make_dataclass


@dataclass
class Lamp:
    id: int
    name: str
    home: str


Wide = make_dataclass(
    "Wide", [("id", int), *[(f"measure_number_{number}", str) for number in range(1, 30)]]
)
Wide.__module__ = "odd_types"


@dataclass
class Signs:
    id: int
    日本語の名前: str
    note: str
    tail: str


@dataclass
class Late:
    id: int

    def __setattr__(self, name: str, value: object) -> None:
        raise LookupError("nothing can be set")
