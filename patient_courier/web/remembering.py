"""Figures of a large school that took long to reckon are kept until the school has moved on, or for a minute."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from typing import Annotated, Any, TypeVar

from fastapi import Depends, Request

from patient_courier.core.engine.definitions import Definitions
from patient_courier.store.engine.lately import stamp
from patient_courier.web.context import Session, now_in

T = TypeVar("T")
# What is reckoned faster than that is always reckoned anew; what is kept is kept no longer than that.
WORTH_SECONDS, MOST_SECONDS = 0.3, 60.0
MOST = 64


@dataclass(frozen=True, slots=True)
class _Kept:
    definitions: Definitions
    stamp: Hashable
    until: float
    answer: Any


class Remembered:
    """Answers by what was asked; of each thread's, since they are not changed."""

    def __init__(self) -> None:
        self._kept: dict[Hashable, _Kept] = {}
        self._turn = threading.Lock()

    def ask(self, session: Session, definitions: Definitions, key: Hashable, make: Callable[[], T]) -> T:
        """The answer that is kept for the key while nothing has happened in the school since, else a new one."""
        # Whose time is over is another question an hour later, also where only the practice clock was moved.
        now, at = time.monotonic(), (*stamp(session), now_in(session).timestamp() // 3600)
        with self._turn:
            kept = self._kept.get(key)
        if (
            kept is not None
            and kept.definitions is definitions
            and (kept.stamp, kept.until > now) == (at, True)
        ):
            answer: T = kept.answer
            return answer
        answer = make()
        if time.monotonic() - now >= WORTH_SECONDS:
            with self._turn:
                if len(self._kept) >= MOST:
                    self._kept.clear()
                self._kept[key] = _Kept(definitions, at, time.monotonic() + MOST_SECONDS, answer)
        return answer


def remembered(request: Request) -> Remembered:
    """What is kept of the school that is served, the real one's apart from the practice copy's."""
    found: Remembered = request.scope["served"].remembered
    return found


TheFigures = Annotated[Remembered, Depends(remembered)]
