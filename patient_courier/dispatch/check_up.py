"""Looking at the machine and the school for the check-up. Changes nothing."""

from __future__ import annotations

import shutil
import socket
import sqlite3
import ssl
from collections.abc import Callable
from contextlib import closing
from email.utils import parsedate_to_datetime
from pathlib import Path
from urllib.parse import quote, urlsplit

import httpx
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.upkeep import check_up as core
from patient_courier.core.upkeep.check_up import Finding, Machine, School
from patient_courier.core.upkeep.domain import look_at
from patient_courier.core.upkeep.names import Ask
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.dispatch.copies import copies_in
from patient_courier.dispatch.mail_servers import own_server
from patient_courier.settings import Settings
from patient_courier.store.base.database import Database
from patient_courier.store.destinations import api_keys
from patient_courier.store.outbox import outbox
from patient_courier.store.upkeep import copying, posting
from patient_courier.store.upkeep.failing import failing

SECONDS = 8.0
UNUSED_HOURS = 24 * 30


def look(
    database: Database,
    settings: Settings,
    definitions: Callable[[Session], Definitions],
    silent: Callable[[Session], list[str]],
    ask: Ask | None,
) -> list[Finding]:
    """Everything, the worst first. ``silent`` says which connections went silent; ``ask`` None: no name server is asked."""
    with database.reading() as session:
        school, sender = _school(session, settings, definitions, silent)
        server = own_server(session, settings, posting.read_posting(session).server)
        practice = read_clock(session).practice
    found = look_at(sender, server.host if server else None, ask) if ask is not None and not practice else []
    return core.check_up(_machine(database.path, settings), school, found)


def _school(
    session: Session,
    settings: Settings,
    definitions: Callable[[Session], Definitions],
    silent: Callable[[Session], list[str]],
) -> tuple[School, str]:
    kept, refusing = posting.read_posting(session), failing(session, "server")
    copies, unread = failing(session, "copies"), failing(session, "mailbox")
    how = copying.read_copying(session)
    long_ago = real_now().subtract(hours=UNUSED_HOURS)
    newest = next(iter(copies_in(settings.copies_folder)), None)
    return (
        School(
            practice=read_clock(session).practice,
            newest_copy=newest.name.at if newest else None,
            copies_failing=copies.why if copies else None,
            second_place=how.second is not None or how.store is not None,
            oldest_queued=outbox.oldest_waiting(session),
            by_mailroom=own_server(session, settings, kept.server) is None,
            mail=refusing.why if refusing else None,
            mailbox=unread.why if unread else None,
            silent=tuple(silent(session)),
            unused_keys=tuple(
                one.name
                for one in api_keys.every(session)
                if one.used is None and one.ended is None and one.made < long_ago
            ),
            newest_event=outbox.newest_event(session),
            mail_clock=posting.mail_clock(session, real_now()),
        ),
        definitions(session).school.sender.email,
    )


def _machine(path: Path, settings: Settings) -> Machine:
    site, theirs, ours = _reached(settings.address)
    folder = settings.copies_folder
    files = [path, *path.parent.glob(f"{path.name}-*"), *([folder] if folder.is_dir() else [])]
    return Machine(
        now=real_now(),
        address=settings.address,
        site=site,
        certificate_ends=_certificate_ends(settings.address) if site is None else None,
        clock_off=(theirs - ours).total("seconds") if theirs is not None else None,
        size=path.stat().st_size,
        free=shutil.disk_usage(path.parent).free,
        open_files=tuple(str(one) for one in files if one.exists() and one.stat().st_mode & 0o077),
        damage=_damage(path),
    )


def _reached(address: str) -> tuple[str | None, Instant | None, Instant]:
    """Why the school's own address can't be reached; the other side's clock where that is not this machine's."""
    now = real_now()
    try:
        answer = httpx.get(f"{address}/mark.svg", timeout=SECONDS, follow_redirects=False)
        if answer.status_code != 200:
            return f"it answers {answer.status_code} there.", None, now
        host = urlsplit(address).hostname or ""
        here = host.startswith("127.") or host in ("localhost", "::1")
        date = answer.headers.get("date")
        theirs = Instant(parsedate_to_datetime(date)) if date and not here else None
        return None, theirs, now
    except (httpx.HTTPError, httpx.InvalidURL, OSError, ValueError) as error:
        return f"{str(error) or type(error).__name__}.", None, now


def _certificate_ends(address: str) -> Instant | None:
    """When the certificate of an https address ends; None when it can't be had."""
    parts = urlsplit(address)
    if parts.scheme != "https" or parts.hostname is None:
        return None
    try:
        with (
            socket.create_connection((parts.hostname, parts.port or 443), timeout=SECONDS) as raw,
            ssl.create_default_context().wrap_socket(raw, server_hostname=parts.hostname) as secured,
        ):
            ends = (secured.getpeercert() or {}).get("notAfter")
        return Instant.from_timestamp(ssl.cert_time_to_seconds(str(ends))) if ends else None
    except (OSError, ValueError):
        return None


def _damage(path: Path) -> str | None:
    try:
        with closing(sqlite3.connect(f"file:{quote(str(path.absolute()))}?mode=ro", uri=True)) as connection:
            said = str(connection.execute("PRAGMA quick_check").fetchone()[0])
        return None if said == "ok" else said
    except sqlite3.Error as error:
        return str(error)
