"""What the tests of the command line share: a folder that goes away with the test, and running a command."""

from __future__ import annotations

import contextlib
import io
import tempfile
from pathlib import Path
from unittest import TestCase

from relief.__main__ import main


class CommandTestCase(TestCase):
    """Runs commands in this process, on files in a folder of its own."""

    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def run_command(self, *arguments) -> tuple[int, str, str]:
        """Its exit status, and what it printed to standard output and error."""
        with contextlib.redirect_stdout(io.StringIO()) as out, contextlib.redirect_stderr(io.StringIO()) as err:
            try:
                code = main([str(argument) for argument in arguments])
            except SystemExit as stop:
                code = stop.code
        return code, out.getvalue(), err.getvalue()
