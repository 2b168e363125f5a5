"""What is logged: a fault of the studio with where it happened, a request that was no good in one line."""

from __future__ import annotations

import logging


class OnlyOurFaults(logging.Filter):
    """Leaves the traceback out where a request was refused for what was sent, as with an unknown host."""

    def filter(self, record: logging.LogRecord) -> bool:
        """Whether a record is written; its traceback goes where the fault is not ours."""
        sent = record.name.startswith("django.security") or 400 <= getattr(record, "status_code", 500) < 500
        if sent and record.name.startswith("django"):
            record.exc_info = record.exc_text = None
        return True
