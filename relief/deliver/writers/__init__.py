"""The files of a delivery that are not maps: one kind a module, found by being there."""

from relief.deliver.writers._writer import Writer
from relief.parameters import list_modules

WRITERS: dict[str, Writer] = dict(
    sorted(((name, module.WRITER) for name, module in list_modules(__name__).items()), key=lambda item: item[1].place)
)
"""The writers by their names, in the order of their files."""

__all__ = ["WRITERS", "Writer"]
