"""The quay book: a service that asks a database session itself, without a repository between."""

from __future__ import annotations

from sqlalchemy import select, update
from sqlalchemy.orm import DeclarativeBase, Mapped, Session, mapped_column


class Base(DeclarativeBase):
    """The tables of the quay book."""


class Slot(Base):
    """A place along a quay, as the book has it."""

    __tablename__ = "slot"

    id: Mapped[int] = mapped_column(primary_key=True)
    harbour: Mapped[str]
    depth_m: Mapped[float]
    is_open: Mapped[bool] = mapped_column(default=True)


class QuayBook:
    """Which slots a vessel can take, and which are closed."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def deep_enough(self, harbour: str, draught_m: float) -> list[int]:
        """The numbers of the open slots where a vessel floats, in order."""
        wanted = select(Slot).where(
            Slot.harbour == harbour, Slot.is_open, Slot.depth_m >= draught_m
        )
        return [slot.id for slot in self._session.scalars(wanted.order_by(Slot.id))]

    def close_shallow(self, harbour: str, depth_m: float) -> int:
        """Close the slots that are shallower; how many these were."""
        shallow = self._session.scalars(
            select(Slot.id).where(Slot.harbour == harbour, Slot.depth_m < depth_m, Slot.is_open)
        ).all()
        if shallow:
            self._session.execute(update(Slot).where(Slot.id.in_(shallow)).values(is_open=False))
            self._session.commit()
        return len(shallow)
