"""The one engine of this process: what is computed for one request is kept for the next."""

from functools import cache

from django.conf import settings

from relief.run.engine import Engine


@cache
def get_engine() -> Engine:
    """The engine that everything in this process shares, made when it is first asked for."""
    return Engine(capacity=settings.ENGINE_BYTES)
