"""Prints every string of the product that somebody may read, with its place; or writes the pages made of the code.

bin/tool strings                 all strings
bin/tool strings studio/shelf    those of files whose path begins so
bin/tool strings --pages         writes docs/findings.md and docs/commands.md
"""

from __future__ import annotations

import argparse

from tools.strings.collecting import ROOT, collect_texts


def make_pages() -> dict[str, str]:
    """The pages of docs/ that are made of the code, by their file names."""
    from tools.strings.commands import commands_page
    from tools.strings.findings import findings_page

    return {"findings.md": findings_page(ROOT), "commands.md": commands_page()}


def main() -> None:
    """Reads the command line and does what it says."""
    shape = argparse.RawDescriptionHelpFormatter
    parser = argparse.ArgumentParser(prog="bin/tool strings", description=__doc__, formatter_class=shape)
    parser.add_argument("begins", nargs="?", default="", help="what paths begin with")
    parser.add_argument("--pages", action="store_true", help="write docs/findings.md and docs/commands.md")
    chosen = parser.parse_args()
    if chosen.pages:
        for name, text in make_pages().items():
            (ROOT / "docs" / name).write_text(text)
        return
    for path, line, text in collect_texts():
        if str(path).startswith(chosen.begins):
            print(f"{path}:{line}: {text}")


if __name__ == "__main__":
    main()
