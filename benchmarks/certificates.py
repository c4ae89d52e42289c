"""Certificates: setting a PDF and a picture, signing, ten thousand of them, and the page that checks one."""

from __future__ import annotations

import json
import resource
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median

import typst
from fastapi.testclient import TestClient
from sqlalchemy import select
from whenever import Instant

from benchmarks.report import Report
from patient_courier.certificates import drawing
from patient_courier.certificates.baking import baked
from patient_courier.certificates.credential import Issuer, credential
from patient_courier.certificates.signing import SigningKey, new_key, signed
from patient_courier.core.school.certificates import Design
from patient_courier.core.school.courses import CertificateRule
from patient_courier.demo.loading import load_demo
from patient_courier.dispatch.dispatcher import Post
from patient_courier.settings import Settings
from patient_courier.store.base.tables import PrintRow
from patient_courier.web.app import create_app

MANY = 3_000
NAMES = ("Ana Reis", "Zoë Łukasiewicz-Ñandú", "نور الخطيب", "प्रिया शर्मा", "Αθηνά Παπαδοπούλου")
DESIGN = Design(
    school="Mallow Lane Apiary School", title="First Hive", zone="Europe/Lisbon", paper_colour="#ffffff", ink="#13283b",
    soft="#526473", accent="#b5382a", lessons=31, quizzes=4, rule=CertificateRule(hours=40),
)  # fmt: skip


def _certificate(number: int) -> drawing.Certificate:
    code = f"{number:04}-ABCD-EFGH"
    return drawing.Certificate(
        title=f"Certificate {number}", description="First Hive", school=DESIGN.school, name=f"{NAMES[number % 5]} {number}",
        course=DESIGN.title, issued="3 March 2026", issued_at=Instant.from_utc(2026, 3, 3), signed="Ines", number=code,
        check=f"https://post.example/certificate/{code}", paper_colour="#ffffff", ink="#13283b", soft="#526473", accent="#b5382a",
    )  # fmt: skip


def certificates(report: Report, folder: Path) -> None:
    """All of it; lines of what was measured, beside a bare page of the same compiler where there is one."""
    began = time.perf_counter()
    first = drawing.draw(_certificate(0), "pdf")
    report.note(
        f"The first PDF of a process: {_ms(time.perf_counter() - began)}, {len(first) // 1000} kB (aim: under 150)"
    )
    (folder / "bare.typ").write_text('#set page(paper: "a4", flipped: true)\nA page with a line of text.')
    bare = typst.Compiler(input=str(folder / "bare.typ"), root=str(folder), ignore_system_fonts=True)
    floor = _each(lambda n: bare.compile(format="pdf", sys_inputs={"n": str(n)}))
    ours = _each(lambda n: drawing.draw(_certificate(n), "pdf"))
    report.note(
        f"A PDF after that: {_ms(ours)} (aim: under 60), {ours / floor:.1f} times a bare page ({_ms(floor)})"
    )
    report.note(f"The picture: {_ms(_each(lambda n: drawing.draw(_certificate(n), 'png')))}")
    issuer, key = Issuer("https://post.example", DESIGN.school, "ines@mallowlane.example"), new_key()
    made = lambda n: signed(  # noqa: E731
        credential(
            issuer,
            DESIGN,
            "first-hive",
            code=f"{n:04}",
            name="Ana",
            issued=Instant.from_utc(2026, 3, 3),
            place=n,
        ),
        SigningKey(1, key, issuer.key(1)),
        Instant.from_utc(2026, 3, 3),
    )
    report.note(f"A signed credential: {_ms(_each(made))}")
    picture = drawing.draw(_certificate(1), "png")
    report.note(f"Baking it into the picture: {_ms(_each(lambda n: baked(picture, json.dumps(made(1)))))}")
    _many(report)
    _check_page(report, folder)


def _many(report: Report) -> None:
    began, marks = time.perf_counter(), []
    for number in range(MANY):
        drawing.draw(_certificate(number), "pdf")
        if number % (MANY // 10) == MANY // 10 - 1:
            marks.append(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024)
    took = time.perf_counter() - began
    report.note(
        f"{MANY:,} PDFs: {took:.0f} s (aim: under 60 a thousand); most memory after each tenth, MB: {', '.join(map(str, marks))}"
    )


def _check_page(report: Report, folder: Path) -> None:
    path = folder / "demo.db"
    database = load_demo(path, Settings(smtp_host=""))
    with database.reading() as session:
        code = session.scalar(select(PrintRow.code).where(PrintRow.revoked.is_(False)))
    post = Post(database, Settings(demo=True, smtp_host=""))
    with TestClient(create_app(post)) as client:
        for what, way in (
            ("The check page", ""),
            ("The same with its picture", ".png"),
            ("The PDF", ".pdf"),
            ("The credential", "/credential.json"),
        ):
            client.get(f"/certificate/{code}{way}").raise_for_status()
            took = _each(lambda n, way=way: client.get(f"/certificate/{code}{way}").raise_for_status(), 60)  # type: ignore[misc]
            report.note(
                f"{what} over HTTP in one process: {_ms(took)}{' (aim: under 30)' if not way else ''}"
            )
        floor = _each(lambda n: client.get("/certificate/copy.js"), 60)
        report.note(f"A bare answer so: {_ms(floor)}")


def _each(run: Callable[[int], object], times: int = 100) -> float:
    """The median of single runs, in seconds; the first is not counted."""
    found = []
    for number in range(times + 1):
        began = time.perf_counter()
        run(number)
        found.append(time.perf_counter() - began)
    return median(found[1:])


def _ms(seconds: float) -> str:
    return f"{1000 * seconds:.1f} ms"
