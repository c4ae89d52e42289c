"""Waiting for what happens in other threads: until it has, however slow the machine is."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import TypeVar

# Long enough for the slowest machine; only a test that fails waits for so long.
PATIENCE_SECONDS = 90.0
Found = TypeVar("Found")


def until(look: Callable[[], Found]) -> Found:
    """What ``look`` finds, as soon as it is something."""
    give_up = time.monotonic() + PATIENCE_SECONDS
    while time.monotonic() < give_up:
        found = look()
        if found:
            return found
        time.sleep(0.02)
    raise AssertionError(f"it did not come to that; the last look found {look()!r}")
