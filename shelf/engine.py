"""The one engine of this process: what is computed for one request is kept for the next."""

from django.conf import settings

from relief.run.engine import Engine

ENGINE = Engine(capacity=settings.ENGINE_BYTES)
