"""How the application logs: one line a happening, tracebacks without the values in them (addresses, letters)."""

from __future__ import annotations

import structlog


def set_up() -> None:
    """Set up structlog for the whole process."""
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso"),
            structlog.dev.ConsoleRenderer(colors=False, exception_formatter=structlog.dev.plain_traceback),
        ],
        cache_logger_on_first_use=True,
    )
