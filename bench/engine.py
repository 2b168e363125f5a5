"""The one engine of this process: what is computed for one request is kept for the next."""

from relief.engine import Engine

ENGINE = Engine(capacity=1 << 30)
