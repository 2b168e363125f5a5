"""The one engine of this process: what is computed for one request is kept for the next."""

from functools import cache
from typing import Any

from django.conf import settings

from relief.progress import Progress
from relief.run.engine import Engine, Stage
from studio.web.wanted import Both, progress_of_request


class StudioEngine(Engine):
    """An engine that gives up what the request it computes for no longer wants."""

    def run(self, stage: Stage, progress: Progress | None = None) -> Any:
        asked = progress_of_request()
        return super().run(stage, Both(progress, asked) if progress else asked)


@cache
def get_engine() -> Engine:
    """The engine that everything in this process shares, made when it is first asked for."""
    return StudioEngine(settings.ENGINE_BYTES, settings.ENGINE_TEXELS)
