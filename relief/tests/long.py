"""Tests that take seconds each: `bin/test --fast` leaves them out."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

Test = TypeVar("Test", bound=Callable[..., Any])


def long(test: Test) -> Test:
    """Tags a test as Django's runner knows tags; that of Django itself is not for the computation's tests."""
    test.tags = {"long"}  # type: ignore[attr-defined]
    return test
