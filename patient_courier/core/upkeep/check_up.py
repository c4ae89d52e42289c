"""The check-up of how a school runs: what was seen of the machine and the mail, and what to do about it.

The bounds (a copy older than a day and a half, a certificate with less than three weeks …) are common practice, no source.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from whenever import Instant

from patient_courier.core.upkeep.domain import Found

How = Literal["good", "mend", "serious", "unknown"]
COPY_HOURS, CERTIFICATE_DAYS, CLOCK_SECONDS, OUTBOX_HOURS = 36, 21, 120, 2
LEAST_FREE_BYTES = 500_000_000


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing that was looked at: how it stands, in a sentence, and what to do where something is to be done."""

    about: str
    how: How
    sentence: str
    do: str = ""


@dataclass(frozen=True, slots=True)
class Machine:
    """What was seen of the machine. ``site``: None, or why the school's own address can't be reached; ``certificate_ends``
    of that address; ``clock_off``: seconds by which another clock goes before ours; ``open_files``: those others may read."""

    now: Instant
    address: str
    site: str | None
    certificate_ends: Instant | None
    clock_off: float | None
    size: int
    free: int
    open_files: tuple[str, ...]
    damage: str | None


@dataclass(frozen=True, slots=True)
class School:
    """What was seen of the school. ``newest_copy`` and ``copies_failing``; ``oldest_queued``: since when the oldest letter waits
    for the mail server, and not for its pace; ``mail_clock``: as ``clock_off``, of the mail server; ``mail``: what keeps letters from leaving; ``silent``: connections by name."""

    practice: bool
    newest_copy: Instant | None
    copies_failing: str | None
    second_place: bool
    oldest_queued: Instant | None
    by_mailroom: bool
    mail: str | None
    mailbox: str | None
    silent: tuple[str, ...]
    unused_keys: tuple[str, ...]
    newest_event: Instant | None
    mail_clock: float | None = None


def check_up(machine: Machine, school: School, domain: Sequence[Found]) -> list[Finding]:
    """Everything, the worst first."""
    found = [
        _site(machine),
        *_certificate(machine),
        _clock(machine, school),
        _disk(machine),
        _rights(machine),
        _integrity(machine),
        _copies(machine, school),
        _mail(machine, school),
        *(
            [Finding("What comes back", "mend", school.mailbox, "See Mail, under School.")]
            if school.mailbox
            else []
        ),
        *_domain(domain),
        *(
            Finding(
                "Connections",
                "mend",
                said,
                "Look at the connection, and at the shop's own page of what it sends.",
            )
            for said in school.silent
        ),
        *(
            Finding(
                "Keys",
                "mend",
                f"The key “{name}” was never used.",
                "Take it away, if nobody is going to use it.",
            )
            for name in school.unused_keys
        ),
    ]
    order = ("serious", "mend", "unknown", "good")
    return sorted(found, key=lambda one: order.index(one.how))


def _site(machine: Machine) -> Finding:
    about = "The school's address"
    if machine.site is not None:
        said = f"{machine.address} can't be reached from here: {machine.site}"
        return Finding(
            about,
            "serious",
            said,
            "Links in letters lead there. See PATIENT_COURIER_SITE, the proxy, and the domain's names.",
        )
    if machine.address.startswith("http://") and not any(
        host in machine.address for host in ("://127.", "://localhost", "://[::1]")
    ):
        said = f"{machine.address} is not encrypted: whoever is on the way reads what students answer."
        return Finding(
            about,
            "serious",
            said,
            "Use https: a proxy in front, or a certificate of your own (docs/running.md).",
        )
    if machine.address.startswith("http://"):
        said = f"Links in letters lead to {machine.address}, which only this machine can open."
        return Finding(
            about, "mend", said, "Set PATIENT_COURIER_SITE to the address that students are to open."
        )
    return Finding(about, "good", f"{machine.address} answers.")


def _certificate(machine: Machine) -> list[Finding]:
    if machine.certificate_ends is None:
        return []
    days = int((machine.certificate_ends - machine.now).total("hours") // 24)
    said = f"The certificate of {machine.address} holds for {days} more days."
    if days >= CERTIFICATE_DAYS:
        return [Finding("Certificate", "good", said)]
    how: How = "serious" if days < 7 else "mend"
    return [Finding("Certificate", how, said, "Renew it, and see why that was not done by itself.")]


def _clock(machine: Machine, school: School) -> Finding:
    ahead = (school.newest_event - machine.now).total("seconds") if school.newest_event else 0.0
    others = [off for off in (machine.clock_off, school.mail_clock) if off is not None]
    # Events that lie ahead say that this clock is slow, others nothing.
    off = max([*others, *([ahead] if ahead > 0 else [])], key=abs, default=None)
    if off is not None and abs(off) > CLOCK_SECONDS:
        said = f"This machine's clock is {abs(off) / 60:.0f} minutes {'slow' if off > 0 else 'fast'}."
        return Finding(
            "Clock",
            "serious",
            said,
            "Have it set by the network (timedatectl set-ntp true): letters go by it.",
        )
    if not others:
        return Finding(
            "Clock",
            "unknown",
            "No other clock could be asked; none of the last events lies ahead of this one.",
            "Under Mail, paste the source of a test letter that arrived: its mail server wrote the time into it.",
        )
    return Finding("Clock", "good", "This machine's clock agrees with another one.")


def _disk(machine: Machine) -> Finding:
    said = f"{machine.free / 1e9:.1f} GB are free; the school takes {machine.size / 1e9:.2f} GB."
    if machine.free < max(LEAST_FREE_BYTES, machine.size):
        return Finding(
            "Disk", "serious", said, "Make room: a full disk keeps letters from being noted, so none go out."
        )
    if machine.free < max(2 * LEAST_FREE_BYTES, 4 * machine.size):
        return Finding("Disk", "mend", said, "Make room soon: copies need some, too.")
    return Finding("Disk", "good", said)


def _rights(machine: Machine) -> Finding:
    if machine.open_files:
        said = f"Others on this machine may read {', '.join(machine.open_files)}."
        return Finding(
            "Files",
            "serious",
            said,
            "Let only the program's own user read them: chmod 600, chmod 700 for folders.",
        )
    return Finding("Files", "good", "Nobody else on this machine may read the school's files.")


def _integrity(machine: Machine) -> Finding:
    if machine.damage is not None:
        return Finding(
            "Database",
            "serious",
            f"The school's file is damaged: {machine.damage}",
            "Come back from the last good copy.",
        )
    return Finding("Database", "good", "The school's file is whole.")


def _copies(machine: Machine, school: School) -> Finding:
    if school.practice:
        return Finding("Copies", "good", "A practice school makes no copies by itself.")
    if school.copies_failing:
        return Finding(
            "Copies", "serious", school.copies_failing, "Mend that; it is tried again every half hour."
        )
    if school.newest_copy is None:
        return Finding("Copies", "serious", "There is no copy of the school.", "Make one now, under Copies.")
    hours = (machine.now - school.newest_copy).total("hours")
    if hours > COPY_HOURS:
        said = f"The newest copy is {hours / 24:.0f} days old."
        return Finding("Copies", "serious", said, "Make one now, and see whether the program runs at night.")
    old = "less than an hour" if hours < 1 else "an hour" if hours < 2 else f"{hours:.0f} hours"
    if not school.second_place:
        said = f"The newest copy is {old} old, and lies on this machine alone."
        return Finding("Copies", "mend", said, "Have copies put into a second place, under Copies.")
    return Finding(
        "Copies", "good", f"The newest copy is {hours:.0f} hours old, and lies in a second place as well."
    )


def _mail(machine: Machine, school: School) -> Finding:
    if school.mail is not None:
        return Finding(
            "Mail", "serious", school.mail, "See Mail, under School: a test letter says what to do."
        )
    if school.by_mailroom and not school.practice:
        return Finding(
            "Mail",
            "serious",
            "Letters go to the built-in mailroom, so nobody gets them.",
            "Fill in a mail server, under Mail.",
        )
    if school.oldest_queued is not None:
        hours = (machine.now - school.oldest_queued).total("hours")
        if hours > OUTBOX_HOURS:
            return Finding(
                "Mail",
                "serious",
                f"A letter has waited in the outbox for {hours:.0f} hours.",
                "See Needs you, and the dispatch log.",
            )
    return Finding("Mail", "good", "Letters leave without waiting.")


def _domain(domain: Sequence[Found]) -> list[Finding]:
    return [
        Finding("The sender's domain", "mend", one.sentence, "See what to publish, under Mail.")
        for one in domain
        if one.state == "mend"
    ]
