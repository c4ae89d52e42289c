"""What holds for every test: how properties are tried.

No deadline, since a machine may be slow; the same examples in every run of ``make test``, so that it is green or red for a
reason; new ones each time with ``make fuzz``.
"""

import os

import pytest
from hypothesis import HealthCheck, settings
from xdist.remote import Producer
from xdist.scheduler import LoadFileScheduling

_SLOW = [HealthCheck.too_slow, HealthCheck.data_too_large, HealthCheck.function_scoped_fixture]
settings.register_profile(
    "same", deadline=None, derandomize=True, suppress_health_check=_SLOW, print_blob=True
)
settings.register_profile("new", deadline=None, suppress_health_check=_SLOW, print_blob=True)
settings.load_profile(os.environ.get("PROPERTIES", "same"))


class Work(LoadFileScheduling):  # type: ignore[misc]
    """A module's tests stay with one worker, since some say at their end what the others have met; those of the browser,
    which share nothing and take longest together, are given out one by one."""

    def _split_scope(self, nodeid: str) -> str:
        return nodeid if "/browser/" in nodeid else super()._split_scope(nodeid)


def pytest_xdist_make_scheduler(config: pytest.Config, log: Producer) -> Work:
    return Work(config, log)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What takes long is begun first."""
    items.sort(key=lambda item: (item.get_closest_marker("long") is None, "/browser/" not in item.nodeid))
