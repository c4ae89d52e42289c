"""What holds for every test: how properties are tried.

No deadline, since a machine may be slow; the same examples in every run of ``make test``, so that it is green or red for a
reason; new ones each time with ``make fuzz``.
"""

import os

from hypothesis import HealthCheck, settings

_SLOW = [HealthCheck.too_slow, HealthCheck.data_too_large, HealthCheck.function_scoped_fixture]
settings.register_profile(
    "same", deadline=None, derandomize=True, suppress_health_check=_SLOW, print_blob=True
)
settings.register_profile("new", deadline=None, suppress_health_check=_SLOW, print_blob=True)
settings.load_profile(os.environ.get("PROPERTIES", "same"))
