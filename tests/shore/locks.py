"""The lock keeper: passages are asked for, polled and logged. Untyped answers, JSON, keys."""

import json
from datetime import timedelta
from typing import Any, Protocol

from pydantic import BaseModel, Field

from shore.lock_rules import LockRefused, checked_width, toll_for


class Passage(BaseModel):
    passage_key: str
    vessel: str
    lane: int = Field(ge=1, le=4)
    width_m: float = Field(gt=0, lt=60)
    crew_only: bool = False


class Gate(Protocol):
    def submit(self, payload: dict[str, Any]) -> dict: ...
    def status(self, job_id: str) -> dict: ...


class PassageRepo(Protocol):
    def get_by_passage_key(self, passage_key: str) -> Passage | None: ...
    def upsert(self, passage: Passage) -> None: ...


class Settings(Protocol):
    def get(self, name: str) -> str | None: ...


class Journal(Protocol):
    def write_line(self, text: str) -> None: ...


class Sleeper(Protocol):
    def sleep(self, seconds: float) -> None: ...


class LockKeeper:
    def __init__(
        self,
        gate: Gate,
        passages: PassageRepo,
        settings: Settings,
        journal: Journal,
        sleeper: Sleeper,
    ) -> None:
        self._gate, self._passages = gate, passages
        self._settings, self._journal, self._sleeper = settings, journal, sleeper

    def pass_through(self, passage_key: str, weight: int = 0) -> str:
        passage = self._passages.get_by_passage_key(passage_key)
        if passage is None:
            return "unknown"
        width = checked_width(passage.width_m, passage.lane)
        toll = 0 if passage.crew_only else toll_for(width, weight)
        job = self._gate.submit({"vessel": passage.vessel, "lane": passage.lane, "toll": toll})
        if job["job"]["kind"] == "night":
            self._journal.write_line(f"{passage.vessel} goes at night")
        state = self._wait_for(job["job"]["id"])
        if state == "done" and toll:
            self._journal.write_line(f"{passage.vessel} owes {toll}")
        return state

    def _wait_for(self, job_id: str) -> str:
        polls = self._polls()
        for number in range(polls):
            answer = self._gate.status(job_id)
            state = answer.get("state", "")
            if state in ("done", "failed"):
                return state
            if answer.get("lane") == "fast":
                self._sleeper.sleep(1)
            else:
                self._sleeper.sleep(2 ** min(number, 3))
        return "late"

    def _polls(self) -> int:
        text = self._settings.get("lock.polls")
        if text is None:
            return 5
        try:
            data = json.loads(text)
        except ValueError:
            return 5
        if isinstance(data, dict) and "polls" in data:
            return max(1, int(data["polls"]))
        return 5

    def move(self, passage_key: str, lane: int) -> timedelta:
        passage = self._passages.get_by_passage_key(passage_key)
        if passage is None:
            raise LockRefused(f"no passage {passage_key}")
        if passage.lane == lane:
            return timedelta(0)
        steps = abs(passage.lane - lane)
        changed = passage.model_copy(update={"lane": lane})
        checked_width(changed.width_m, lane)
        self._passages.upsert(changed)
        return timedelta(minutes=7 * steps + (30 if steps > 2 else 0))
