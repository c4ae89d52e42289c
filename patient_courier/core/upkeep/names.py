"""What is asked of the names of the network, and what they answer; whoever asks them is outside the core."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

Kind = Literal["TXT", "MX", "A", "AAAA", "PTR", "CNAME"]


@dataclass(frozen=True, slots=True)
class Answer:
    """``found``: the records as text (MX as ``10 mx.example.org``); none of a name that is there, or of one that is not
    (``missing``). ``failed`` says why nothing could be learnt; asking later may do."""

    found: tuple[str, ...] = ()
    missing: bool = False
    failed: str = ""


Ask = Callable[[str, Kind], Answer]
