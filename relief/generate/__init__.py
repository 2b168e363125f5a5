"""Relief from nothing: noises and patterns, each in a file of its own. `GENERATORS` finds the files by itself."""

from functools import reduce
from operator import or_
from typing import TYPE_CHECKING

from relief.generate.generator import Generator
from relief.parameters import discover

GENERATORS = discover(__name__, Generator)
"""Every noise and pattern by its kind."""

if TYPE_CHECKING:
    AnyGenerator = Generator
else:
    AnyGenerator = reduce(or_, GENERATORS.values())
