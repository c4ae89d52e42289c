"""What Patient Courier costs, each figure beside a floor that is measured in the same run.

    make bench                 all of it
    make bench ONLY=engine     one part: post, connections, outgoing, engine, broadcasts, screens,
                               certificates, copies, figures, overview

Prints a table and keeps it in docs/benchmarks.md, with the machine named.
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from benchmarks import (
    broadcasts,
    certificates,
    connections,
    copies,
    engine,
    figures,
    outgoing,
    overview,
    post,
    screens,
)
from benchmarks.report import Report, save


def main(only: str) -> None:
    report = Report()
    print(
        "| what | ours, per second | floor, per second | ours takes | it took |\n| --- | ---: | ---: | ---: | ---: |"
    )
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        if only in ("", "post"):
            post.intake(report, folder)
            post.wake_ups(report, folder)
            post.letters(report)
            post.whole_outbox(report, folder)
        if only in ("", "connections"):
            connections.messages_over_http(report, folder)
            connections.tried_again(report, folder)
        if only in ("", "outgoing"):
            outgoing.outgoing(report, folder)
        if only in ("", "engine"):
            engine.rehearsal(report)
            engine.audience(report, folder)
            engine.scheduler(report, folder)
        if only in ("", "broadcasts"):
            broadcasts.broadcasts(report, folder)
        if only in ("", "screens"):
            screens.screens(report, folder)
        if only in ("", "certificates"):
            certificates.certificates(report, folder)
        if only in ("", "copies"):
            copies.copies(report, folder)
        if only in ("", "figures"):
            figures.figures(report, folder)
        if only in ("", "overview"):
            overview.overview(report, folder)
    if not only:
        save(report)


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else "")
