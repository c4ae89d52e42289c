"""A process that is killed in the middle of what it does, at the n-th call of ours: no clock, so the same every time."""

from __future__ import annotations

import subprocess
import sys

_CHILD = """
import os, signal, sys
left = [int(sys.argv[1])]
def count(frame, event, what):
    if event in ("call", "c_call") and "patient_courier" in frame.f_code.co_filename:
        left[0] -= 1
        if left[0] == 0:
            os.kill(os.getpid(), signal.SIGKILL)
from pathlib import Path
{imports}
sys.setprofile(count)
{work}
sys.setprofile(None)
print(int(sys.argv[1]) - left[0])
"""


def calls_of(imports: str, work: str) -> int:
    """Let it run to its end; how many calls it makes."""
    return int(_run(10**9, imports, work, expected=0))


def killed_at(call: int, imports: str, work: str) -> None:
    """Kill it (SIGKILL) at this call, before what is called does anything."""
    _run(call, imports, work, expected=-9)


def _run(call: int, imports: str, work: str, *, expected: int) -> str:
    code = _CHILD.format(imports=imports, work=work)
    done = subprocess.run(
        [sys.executable, "-c", code, str(call)], capture_output=True, text=True, check=False
    )
    assert done.returncode == expected, done.stderr
    return done.stdout.split()[-1] if done.stdout.split() else ""
