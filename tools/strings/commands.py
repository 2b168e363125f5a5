"""The page of the command line, made of its parsers."""

from __future__ import annotations

import argparse
from collections.abc import Iterator

from relief.__main__ import make_parser

ABOUT = """# The command line

Written by `bin/tool strings --pages` from the parsers; a test fails where this page is older. `bin/relief` runs it from
the source, `relief` where the package is installed. What is not given is suggested from the picture, and printed. The
result is one JSON object. Bad input ends with code 2 and one line on standard error.
"""


def commands_page() -> str:
    """The page, in Markdown."""
    lines = [ABOUT]
    listed = next(action for action in make_parser([])._actions if isinstance(action, argparse._SubParsersAction))
    about = {choice.dest: choice.help or "" for choice in listed._choices_actions}
    for name, parser in listed.choices.items():
        lines += [f"## relief {name}", "", f"{about[name][:1].upper()}{about[name][1:]}.", ""]
        rows = [row for group in parser._action_groups for row in _rows(group)]
        lines += ["| option | |", "| --- | --- |", *rows, ""]
    return "\n".join(lines).rstrip() + "\n"


def _rows(group: argparse._ArgumentGroup) -> Iterator[str]:
    formatter = argparse.HelpFormatter("relief")
    for action in group._group_actions:
        if action.dest == "help":
            continue
        given = formatter._format_args(action, action.metavar or action.dest.upper()) if action.nargs != 0 else ""
        called = f"{action.option_strings[-1]} {given}" if action.option_strings else given
        said = formatter._expand_help(action) if action.help else ""
        needed = " (required)" if action.required and action.option_strings else ""
        yield f"| `{_cell(called.strip())}` | {_cell(said)}{needed} |"


def _cell(text: str) -> str:
    return " ".join(text.split()).replace("|", "\\|")
