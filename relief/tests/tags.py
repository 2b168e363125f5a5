"""Tests that take a second or more each: `bin/test --fast` leaves them out."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

Test = TypeVar("Test", bound=Callable[..., Any])


def long(test: Test) -> Test:
    """Tags a test, or all of a class, as Django's runner reads it; the computation's tests do not import Django."""
    test.tags = {"long"}  # type: ignore[attr-defined]
    return test
