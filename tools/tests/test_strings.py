"""Every string that a page shows is found by the collector, and the pages made of the code are up to date."""

from __future__ import annotations

import csv
import html
import re
import tempfile
from functools import cache
from pathlib import Path

from django.test import SimpleTestCase, TestCase, override_settings

from relief.tests.tags import long
from studio.bench.beginning import begin_piece
from studio.bench.pages.steps import STEPS
from studio.bench.tests.case import HEIGHTS, png
from studio.middleware import the_artist
from studio.shelf.intake import keep_source
from studio.shelf.search import FAMILIES
from tools.strings.__main__ import make_pages
from tools.strings.collecting import ROOT, collect_texts
from tools.strings.documents import texts_of_document
from tools.strings.python import texts_of_python
from tools.strings.scripts import texts_of_script
from tools.strings.templates import SAID, texts_of_template
from tools.strings.text import Text

GIVEN = ("crooked quay", "crooked-quay", "crooked_quay", *FAMILIES)
"""What the test itself puts on the pages, and the names of colours, which are the words of a search too."""

UNITS = re.compile(r"\b(mm|px|kB|MB|png|tif|obj|json)\b", re.IGNORECASE)
"""Units of figures, and endings of file names."""


@cache
def all_texts() -> tuple[Text, ...]:
    """Every string of the house: all files are read for it, which takes seconds."""
    return tuple(collect_texts())


class CollectorTests(SimpleTestCase):
    def read(self, read, ending: str, text: str) -> list[str]:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, f"some.{ending}")
            path.write_text(text)
            return [each.text for each in read(path)]

    def test_python(self):
        source = (
            '"""About it."""\n'
            "LABEL = number(1, label='mm', help='How wide it is.')\n"
            "raise PictureError(f'It has {len(rows):.2f} rows '\n    f'and {columns} columns.')\n"
            "path = 'relief/maps'; key = 'amplitude'; pattern = re.compile('What is')\n"
        )
        self.assertEqual(
            self.read(texts_of_python, "py", source),
            ["mm", "How wide it is.", "It has {len(rows)} rows and {columns} columns."],
        )

    def test_templates(self):
        source = (
            '{# not this #}<p title="On hover">Faces: {{ many|spaced }}{% if most %} at most{% endif %}</p>'
            "<script>let no = 'not this';</script><button aria-label='Zoom in'>+</button>"
        )
        self.assertEqual(
            self.read(texts_of_template, "html", source), ["On hover", "Faces: {many|spaced}", "at most", "Zoom in"]
        )

    def test_scripts(self):
        source = (
            "// not this one\nsay(`Importing ${name}, please wait`); find('#stage .busy'); const word = \"No answer\";"
        )
        self.assertEqual(self.read(texts_of_script, "js", source), ["Importing {name}, please wait", "No answer"])

    def test_documents(self):
        source = "# Heading\n\nA line\nand the next.\n\n    code\n\n- item\n"
        self.assertEqual(self.read(texts_of_document, "md", source), ["# Heading", "A line and the next.", "- item"])


class PageTests(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.fixed = sorted({part.lower() for text in all_texts() for part in text.fixed}, key=len, reverse=True)

    def unexplained(self, page: str) -> list[str]:
        """What a page shows that no collected string accounts for."""
        page = re.sub(r"<(script|style|svg)\b.*?</\1>|<!--.*?-->", " ", page, flags=re.DOTALL)
        said = [text for name in SAID for text in re.findall(rf'\s{name}="([^"]*)"', page)]
        said += re.findall(r">([^<>]+)<", page)
        left = []
        for text in {" ".join(html.unescape(each).split()) for each in said}:
            rest = text.lower()
            for part in (*self.fixed, *GIVEN):
                if part in rest:
                    whole = rf"(?<![^\W_]){re.escape(part)}(?![^\W_])" if part[0].isalnum() else re.escape(part)
                    rest = re.sub(whole, "\0", rest)
            if re.search(r"[^\W\d_]{2,}", UNITS.sub("", rest), re.IGNORECASE):
                left.append(text)
        return sorted(left)

    def test_every_string_of_the_pages_is_in_the_list(self):
        with tempfile.TemporaryDirectory() as folder, override_settings(MEDIA_ROOT=Path(folder)):
            piece = begin_piece(
                keep_source(the_artist(), f"{GIVEN[1]}.png", png(HEIGHTS)), GIVEN[0].capitalize(), {"surface.level": 1}
            )
            pages = ["/", "/catalogue/", "/catalogue/limewash/", "/rig/"]
            pages += [f"/piece/{piece.pk}/{step.name}/" for step in STEPS]
            for page in pages:
                with self.subTest(page=page):
                    self.assertEqual(self.unexplained(self.client.get(page).content.decode()), [])

    def test_a_string_from_nowhere_is_noticed(self):
        self.assertEqual(self.unexplained("<p>Zzyzx of nowhere</p>"), ["Zzyzx of nowhere"])


class WordTests(SimpleTestCase):
    @long
    def test_words_that_were_mended_do_not_come_back(self):
        """Each line of avoided.tsv: what must not be said, what to say instead, and why."""
        with (ROOT / "tools" / "strings" / "avoided.tsv").open() as file:
            avoided = list(csv.DictReader(file, delimiter="\t", quoting=csv.QUOTE_NONE))
        self.assertGreater(len(avoided), 15)
        found = [
            f"{text.path}:{text.line}: “{text.text}”: say {word['instead']}"
            for text in all_texts()
            if text.path.name != "CHANGELOG.md"
            for word in avoided
            if any(re.search(word["pattern"], part, re.IGNORECASE) for part in text.fixed)
        ]
        self.assertEqual(found, [])


class MadePageTests(SimpleTestCase):
    @long
    def test_pages_made_of_the_code_are_up_to_date(self):
        for name, text in make_pages().items():
            self.assertEqual((ROOT / "docs" / name).read_text(), text, f"run: bin/tool strings --pages ({name})")
