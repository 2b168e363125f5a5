"""Starts the studio with its demo pieces: environment and data, server and worker, until Ctrl-C."""

from __future__ import annotations

import argparse
import os
import shutil
import signal
import subprocess
import sys
import time
import urllib.error
import urllib.request
from pathlib import Path

HOUSE = Path(__file__).resolve().parent.parent
PATIENCE = 60  # seconds until the server must have answered


def main() -> int:
    """Starts the studio with its demo pieces; the exit status of the process."""
    parser = argparse.ArgumentParser(prog="bin/demo", description="Starts Zealous Gravel with its demo pieces.")
    parser.add_argument("--port", type=int, default=8000, help="port on 127.0.0.1 (8000)")
    parser.add_argument("--data", type=Path, default=HOUSE / "var", metavar="DIR", help="database, media, queue (var/)")
    parser.add_argument("--fresh", action="store_true", help="throw the data folder's demo and own pieces away first")
    chosen = parser.parse_args()
    data = chosen.data.resolve()
    if chosen.fresh and not empty_folder(data):
        return 1
    os.environ |= {"GRAVEL_DATA": str(data), "DJANGO_SETTINGS_MODULE": "studio.settings", "PYTHONUNBUFFERED": "1"}
    prepare()
    return serve(chosen.port)


def empty_folder(data: Path) -> bool:
    """Removes a data folder of ours; any other folder is left alone."""
    if not data.exists():
        return True
    if any(data.iterdir()) and not (data / "studio.sqlite3").exists():
        print(f"{data} holds no studio data, so it is not emptied.", file=sys.stderr)
        return False
    shutil.rmtree(data, onerror=_unless_gone)
    return True


def _unless_gone(_function, _path, problem) -> None:
    """A studio that is just ending removes files of its own meanwhile; anything else is raised."""
    if not isinstance(problem[1], FileNotFoundError):
        raise problem[1]


def prepare() -> None:
    """Brings the database up to date, compiles the kernels and loads the demo; quick when all that is done."""
    import django

    django.setup()
    from django.core.management import call_command

    from relief.warm_up import warm_up
    from shelf.intake import measure_anew

    call_command("migrate", verbosity=0)
    print("Compiling the kernels (done once, then kept) …", flush=True)
    warm_up()
    measure_anew()
    call_command("load_demo")


def serve(port: int) -> int:
    """Runs server and worker until one of them ends or Ctrl-C comes."""
    address = f"http://127.0.0.1:{port}/"
    commands = [
        [
            sys.executable, "-m", "gunicorn", "studio.wsgi", "--bind", f"127.0.0.1:{port}", "--workers", "1",
            "--worker-class", "gthread", "--threads", "6", "--timeout", "180", "--log-level", "warning",
        ],
        [sys.executable, "manage.py", "run_huey", "--workers", "2", "--quiet"],
    ]  # fmt: skip
    running = [subprocess.Popen(command, cwd=HOUSE, start_new_session=True) for command in commands]
    signal.signal(signal.SIGTERM, signal.default_int_handler)
    try:
        if not answers(address, running[0]):
            print(f"The server does not answer. Is port {port} taken? Try --port.", file=sys.stderr)
            return 1
        print(f"\nZealous Gravel is ready at {address}\nCtrl-C ends it.\n", flush=True)
        while all(process.poll() is None for process in running):
            time.sleep(0.5)
        print("The server or the worker ended.", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 0
    finally:
        for process in running:
            process.terminate()
        for process in running:
            try:
                process.wait(timeout=10)
            except subprocess.TimeoutExpired:
                process.kill()


def answers(address: str, server: subprocess.Popen) -> bool:
    """Waits until the server answers; false when it ended or took too long."""
    until = time.monotonic() + PATIENCE
    while time.monotonic() < until and server.poll() is None:
        try:
            with urllib.request.urlopen(address, timeout=5):
                return server.poll() is None
        except (urllib.error.URLError, OSError):
            time.sleep(0.1)
    return False


if __name__ == "__main__":
    sys.exit(main())
