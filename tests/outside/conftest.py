"""The whole application, for what is checked from outside over HTTP."""

from tests.web.conftest import app, code, school_file

__all__ = ["app", "code", "school_file"]
