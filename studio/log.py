"""What is logged: a fault of the studio with where it happened, a request that was no good in one line."""

from __future__ import annotations

import json
import logging
from datetime import UTC, datetime


class OnlyOurFaults(logging.Filter):
    """Leaves the traceback out where a request was refused for what was sent, as with an unknown host."""

    def filter(self, record: logging.LogRecord) -> bool:
        """Whether a record is written; its traceback goes where the fault is not ours."""
        sent = record.name.startswith("django.security") or 400 <= getattr(record, "status_code", 500) < 500
        if sent and record.name.startswith("django"):
            record.exc_info = record.exc_text = None
        return True


class OneLineOfJson(logging.Formatter):
    """An event as one line of JSON, for programs that collect them."""

    def format(self, record: logging.LogRecord) -> str:
        """The time in UTC, the level, where it comes from, what happened, and the traceback where there is one."""
        told = {
            "time": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "logger": record.name,
            "message": record.getMessage(),
        }
        status = getattr(record, "status_code", None)
        if status is not None:
            told["status"] = status
        if record.exc_info:
            told["traceback"] = self.formatException(record.exc_info)
        return json.dumps(told, ensure_ascii=False)
