"""What a mail from outside may hold before it is read: the library's reader takes time with the square of some things."""

from __future__ import annotations

from email.policy import Compat32, EmailPolicy

# No mail program writes that many parts, nor headers that long that anybody reads.
MOST_PARTS = 200
# Lines that could divide parts; a text has some of its own.
MOST_DIVIDERS = 1_000
LONGEST_HEADER = 2_000


class BoundedMail(EmailPolicy):
    """The library's policy for mails that are read, with headers cut where they are long."""

    def header_source_parse(self, sourcelines: list[str]) -> tuple[str, str]:
        name, value = super().header_source_parse(sourcelines)
        return name, value[:LONGEST_HEADER]


class BoundedReport(Compat32):
    """The library's older policy, which leaves headers as they came; cut where they are long."""

    def header_source_parse(self, sourcelines: list[str]) -> tuple[str, str]:
        name, value = super().header_source_parse(sourcelines)
        return name, value[:LONGEST_HEADER]


def has_many_parts(raw: bytes) -> bool:
    """Whether there are more parts, beside or inside each other, than a mail has."""
    return raw.lower().count(b"\ncontent-type:") > MOST_PARTS or raw.count(b"\n--") > MOST_DIVIDERS
