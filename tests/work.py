"""Work that is counted, not timed: the lines of Python that run and the calls into C, the same on every machine."""

from __future__ import annotations

import sys
from collections.abc import Callable
from types import FrameType
from typing import Any


def work(call: Callable[[], object]) -> int:
    """How many lines run and how many built-in functions are called; whatever the call raises belongs to it."""
    count = 0

    def line(frame: FrameType, event: str, argument: Any) -> Any:
        nonlocal count
        count += event == "line"
        return line

    def built_in(frame: FrameType, event: str, argument: Any) -> None:
        nonlocal count
        count += event == "c_call"

    before = sys.gettrace(), sys.getprofile()
    sys.settrace(line)
    sys.setprofile(built_in)
    try:
        call()
    except ValueError:
        pass  # refused with a sentence: that took work as well
    finally:
        sys.settrace(before[0])
        sys.setprofile(before[1])
    return count
