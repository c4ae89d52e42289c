"""The process that reads files from outside (intake/apart.py): one after the other, within bounds that it can't lift.

Asked with a line of JSON and the file's bytes; answers in frames of four bytes of length and JSON: what was found or
why it was refused, then rows in lots, then an empty list.
"""

from __future__ import annotations

import base64
import json
import resource
import select
import sys
from collections.abc import Callable, Iterator
from dataclasses import asdict
from typing import Any

from patient_courier.core.school.file import Picture
from patient_courier.intake.letter_files import read_letter_file
from patient_courier.intake.mail_message import read_mail
from patient_courier.intake.mail_reports import read_report
from patient_courier.intake.people_file import People, read_people
from patient_courier.intake.pictures import Made, from_file, made_anew

# All that may be asked for of memory, in bytes: fits beside the application on a machine with 2 GB.
MOST_MEMORY = 1_000_000_000
# A process that has grown beyond this ends, so that its memory is given back (bytes).
MOST_KEPT = 250_000_000
IDLE_SECONDS = 30.0
# Other people's readers go down a step for each level of what they read.
DEEPEST = 600
LOT = 1_000


def main() -> None:
    """Answer until nobody asks any more."""
    for limit, most in (
        (resource.RLIMIT_AS, MOST_MEMORY),
        (resource.RLIMIT_FSIZE, 0),
        (resource.RLIMIT_CORE, 0),
    ):
        resource.setrlimit(limit, (most, most))
    sys.setrecursionlimit(DEEPEST)
    asking, answering = sys.stdin.buffer, sys.stdout.buffer
    while select.select([asking], [], [], IDLE_SECONDS)[0] and (line := asking.readline()):
        asked = json.loads(line)
        raw = asking.read(asked["bytes"])
        _limit_time(asked["seconds"])
        for frame in _answered(asked["kind"], asked["name"], raw):
            body = json.dumps(frame).encode()
            answering.write(len(body).to_bytes(4, "big") + body)
        answering.flush()
        if 1024 * resource.getrusage(resource.RUSAGE_SELF).ru_maxrss > MOST_KEPT:
            return


def _limit_time(seconds: int) -> None:
    """From now on so much of the processor's time, then the process ends."""
    used = resource.getrusage(resource.RUSAGE_SELF)
    until = int(used.ru_utime + used.ru_stime) + 1 + seconds
    resource.setrlimit(resource.RLIMIT_CPU, (until, resource.RLIM_INFINITY))


def _answered(kind: str, name: str, raw: bytes) -> Iterator[Any]:
    rows: list[Any] = []
    try:
        head = _READERS[kind](name, raw)
        rows = head.pop("rows", [])
        yield {"head": head}
    except (MemoryError, RecursionError):
        sys.exit(1)  # as if the system had ended us
    except ValueError as error:
        yield {"refused": str(error)}
    for start in range(0, len(rows), LOT):
        yield rows[start : start + LOT]
    yield []


def _picture(made: Made) -> dict[str, Any]:
    body = base64.b64encode(made.body).decode()
    return {"key": made.key, "width": made.width, "height": made.height, "body": body}


def _people(found: People) -> dict[str, Any]:
    return {"columns": found.columns, "rows": found.rows, "how": found.how}


_READERS: dict[str, Callable[[str, bytes], dict[str, Any]]] = {
    "people": lambda name, raw: _people(read_people(raw)),
    "letter": lambda name, raw: asdict(read_letter_file(name, raw)),
    "picture": lambda name, raw: _picture(made_anew(raw)),
    "kept_picture": lambda name, raw: _picture(from_file(Picture(key=name, name="", data=raw.decode()))),
    "mail": lambda name, raw: asdict(read_mail(raw)),
    "report": lambda name, raw: asdict(read_report(raw)),
}

if __name__ == "__main__":
    main()
