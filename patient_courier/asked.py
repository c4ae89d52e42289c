"""What is asked on the command line, each answer checked at once."""

from __future__ import annotations

import typer


# What is answered wrongly is asked again at once; given on the command line it ends the command.
def named(value: str) -> str:
    if not value.strip():
        raise typer.BadParameter("it can't be empty")
    return value.strip()


def address(value: str) -> str:
    from patient_courier.core.school.courses import check_email

    try:
        return check_email(value.strip())
    except ValueError as error:
        raise typer.BadParameter(str(error)) from error


def zone(value: str) -> str:
    from patient_courier.core.school.values import find_zone

    try:
        return find_zone(value)
    except ValueError as error:
        raise typer.BadParameter(str(error)) from error


def password(value: str) -> str:
    from patient_courier.web.sign_in import LONGEST, SHORTEST

    if not SHORTEST <= len(value) <= LONGEST:
        raise typer.BadParameter(f"it needs {SHORTEST} characters or more, and at most {LONGEST}")
    return value


def own_zone() -> str:
    """This machine's time zone, to be confirmed."""
    from whenever import SYSTEM_TZ, Instant

    try:
        return Instant.now().to_tz(SYSTEM_TZ).tz_id or "Europe/Lisbon"
    except (AttributeError, ValueError):
        return "UTC"
