"""What will look wrong, why, and where there is one the mend: one kind of finding a file, found by being there.

The folders are named for what is looked at; `relief.inspect.seen` says what a file of each is given. A file has a
function `find`, which returns its finding, or None where all is well; its docstring says what is wrong.
"""

from __future__ import annotations

from typing import Any

from relief.parameters import list_modules


def find_all(folder: str, seen: Any) -> list[Any]:
    """The findings of all files of a folder, in the order of their names.

    Args:
        folder: `relief`, `source`, `normal_map`, `texture_set`, `surface`, `mesh` or `delivery`.
        seen: what the files of that folder look at.
    """
    found = (module.find(seen) for module in list_modules(f"{__name__}.{folder}").values())
    return [finding for finding in found if finding]
