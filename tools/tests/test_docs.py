"""What the documents name is there: files, links, names in the code, and addresses."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path
from unittest import TestCase

from django.urls import Resolver404, resolve

ROOT = Path(__file__).parents[2]
MADE = ("findings.md", "commands.md", "CHANGELOG.md")
"""Written by the code, or about what was once."""

SOURCES = ("relief", "studio", "browser", "tools", "bin")
HOLDS_CODE = (".py", ".js", ".html", ".css", ".sh", "")
FILE = r"[\w-]+\.(py|js|md|html|css|toml|tsv|txt|json)"
STANDS_FOR = {"PATH"}
"""What stands for a name that is filled in."""

LATER = ("var/",)
"""Folders that are there once something was run."""


def documents() -> Iterator[tuple[Path, str]]:
    for path in (*ROOT.glob("*.md"), *ROOT.glob("docs/**/*.md")):
        if path.name not in MADE:
            yield path, path.read_text()


def named(text: str) -> list[str]:
    """What stands between backticks, without blocks of commands."""
    return re.findall(r"`([^`\n]+)`", re.sub(r"```.*?```", "", text, flags=re.S))


class DocumentTests(TestCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.files = [
            path
            for folder in (*SOURCES, "docs", "requirements")
            for path in (ROOT / folder).rglob("*")
            if path.is_file() and not {"__pycache__", "vendor"} & set(path.parts)
        ]
        cls.files += [path for path in ROOT.iterdir() if path.is_file()]
        code = (path for path in cls.files if path.suffix in (*HOLDS_CODE, ".toml"))
        cls.words = STANDS_FOR | {word for path in code for word in re.findall(r"\w+", path.read_text(errors="ignore"))}

    def assert_there(self, where: Path, missing: list[str]):
        self.assertEqual(missing, [], where.relative_to(ROOT))

    def test_files_and_folders(self):
        form = re.compile(rf"(relief|studio|browser|tools|docs|bin|requirements)/[\w./-]*|{FILE}")
        written = {"READ-ME.txt", "READ-ME.html", "contents.json", "recipe.json", "SHA256SUMS.txt"}
        names = {path.name for path in self.files} | written
        for where, text in documents():
            paths = [each for each in named(text) if form.fullmatch(each) and each not in LATER]
            self.assert_there(where, [p for p in paths if not ((ROOT / p).exists() or ("/" not in p and p in names))])

    def test_links(self):
        for where, text in documents():
            links = [link for link in re.findall(r"\]\(([^)#\s]+)", text) if not link.startswith("http")]
            self.assert_there(where, [link for link in links if not (where.parent / link).exists()])

    def test_names_in_the_code(self):
        for where, text in documents():
            forms = re.compile(rf"(?!{FILE}$)[A-Za-z_][\w.]*(\(\))?")
            names = [each.removesuffix("()") for each in named(text) if forms.fullmatch(each)]
            unknown = [name for name in names if not set(name.strip(".").split(".")) <= self.words]
            self.assert_there(where, unknown)

    def test_addresses(self):
        table = (ROOT / "docs" / "architecture.md").read_text().partition("## Addresses")[2].partition("\n## ")[0]
        addresses = [each for each in named(table) if each.startswith("/") and "..." not in each]
        self.assertGreater(len(addresses), 12)
        for address in addresses:
            asked = re.sub(r"\bN\b", "1", address).replace("NAME", "abc")
            try:
                resolve(asked)
            except Resolver404:
                self.fail(f"{address} is not an address")
