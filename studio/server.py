"""The web server of the studio. It takes a request only when all of it has arrived, so that slow or broken uploads hold
no thread; and it has threads to spare, so that the shelf and files are sent while others wait for what is computed.
"""

from __future__ import annotations

import argparse
import ctypes
import os
import sys
import threading
import time

from waitress import serve

from studio.background.child import end_with_parent

THREADS = 32
CONNECTIONS = 400
SILENCE = 60
"""Seconds after which a connection is closed on which nothing comes."""

IN_MEMORY = 64 << 20
"""Bytes of one answer that are kept in memory while it is sent."""

ROOM = 1 << 20
"""Bytes that a form needs around the files in it."""

TRIM_EVERY = 5
"""Seconds between two times that freed memory is given back to the system."""


def main(arguments: list[str] | None = None) -> int:
    """Serves the studio until it is ended."""
    parser = argparse.ArgumentParser(prog="gravel web", description="Serves a studio that is set up already.")
    parser.add_argument("--port", type=int, required=True)
    parser.add_argument("--parent", type=int, help="the process that this one ends with")
    chosen = parser.parse_args(arguments)
    port = chosen.port
    end_with_parent(chosen.parent)
    from django.conf import settings

    from studio.wsgi import application

    give_memory_back()
    try:
        serve(
            application, host=settings.BIND, port=port, threads=THREADS, connection_limit=CONNECTIONS,
            **_behind(settings.PROXY), channel_timeout=SILENCE, cleanup_interval=10, channel_request_lookahead=1,
            ident=None, max_request_body_size=settings.LARGEST_UPLOAD + ROOM, outbuf_overflow=IN_MEMORY,
            outbuf_high_watermark=IN_MEMORY, _quiet=True,
        )  # fmt: skip
    except OSError as problem:
        print(f"The server cannot listen on port {port}: {problem.strerror or problem}.", file=sys.stderr)
        return 1
    return 0


def _behind(proxy: str) -> dict[str, object]:
    """What waitress is told of a proxy before it: whose word counts for the address, the host and the scheme."""
    if not proxy:
        return {}
    headers = {"x-forwarded-for", "x-forwarded-host", "x-forwarded-proto"}
    return {"trusted_proxy": proxy, "trusted_proxy_headers": headers, "clear_untrusted_proxy_headers": True}


def give_memory_back() -> None:
    """Has glibc return what was freed: large arrays come and go, and their arenas would keep growing otherwise."""
    if sys.platform != "linux":
        return
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)
    if trim is None:  # another C library
        return

    def run() -> None:
        while True:
            time.sleep(TRIM_EVERY)
            trim(0)

    threading.Thread(target=run, daemon=True).start()


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
    sys.exit(main())
