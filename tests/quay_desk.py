"""A service that reaches for what it needs."""

import quay_settings
from quay_settings import HARBOUR, Gauge, depth_now, gauge


def is_deep(metres: float) -> bool:
    return depth_now(HARBOUR) - quay_settings.MARGIN_M >= metres


def measured() -> float:
    return Gauge().depth_at(HARBOUR, None)  # type: ignore[arg-type]


def unit() -> str:
    return gauge.unit()
