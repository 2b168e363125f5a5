"""The page of findings and refusals, made of the code that says them: what each means, how it is found, what to do."""

from __future__ import annotations

import ast
import importlib
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from types import ModuleType

from relief.inspect import thresholds
from tools.strings.collecting import LEFT_OUT
from tools.strings.python import pattern_of
from tools.strings.text import FILLED_IN, tidy

ABOUT = """# Findings and refusals

Written by `bin/tool strings --pages` from the code that says them; a test fails where this page is older. “…” stands
for what is filled in.

## Findings

Shown beside the work, printed by `relief check`. None of them stops anybody: what is intended can be set aside.
"""

REFUSALS = """
## Refusals

What is said where something cannot be done. What was there before stays as it was, unless the sentence says so.
"""

Written = dict[tuple[str, ...], tuple[list[str], str]]
"""What is written of thresholds, by the names of those that stand together: their values, and what they mean."""

FOUND = ("Finding", "SetFinding")
MENDS = ("Mend", "SetMend")


@dataclass
class Kind:
    """A kind of finding, or some that are looked for together.

    Attributes:
        meaning: what is wrong, from the docstring of what looks for it.
        reasons: what is said of it.
        thresholds: by which it is found, with what is written of them.
        mends: what its buttons say.
    """

    meaning: str
    reasons: list[str] = field(default_factory=list)
    thresholds: list[str] = field(default_factory=list)
    mends: list[str] = field(default_factory=list)


def findings_page(root: Path) -> str:
    """The page, in Markdown."""
    lines = [ABOUT]
    for titles, kind in sorted(_kinds(root).items()):
        lines += [f"### {titles}", "", kind.meaning, ""]
        lines += [f"- Says: {reason}" for reason in kind.reasons]
        lines += [f"- Threshold: {threshold}" for threshold in kind.thresholds]
        lines += [f"- Mend: {', or '.join(f'“{mend}”' for mend in kind.mends)}"] if kind.mends else []
        lines.append("")
    lines.append(REFUSALS)
    for path, tree in _modules(root):
        said = list(dict.fromkeys(_refusals(tree)))
        if said:
            about = (ast.get_docstring(tree) or "").partition("\n\n")[0]
            lines += [f"### {tidy(about).rstrip('.')}", "", f"`{path.relative_to(root)}`", ""]
            lines += [f"- {sentence}" for sentence in said] + [""]
    return "\n".join(lines).rstrip() + "\n"


def _modules(root: Path) -> Iterator[tuple[Path, ast.Module]]:
    for package in ("relief", "studio"):
        for path in sorted((root / package).glob("**/*.py")):
            if not set(path.relative_to(root).parts) & set(LEFT_OUT):
                yield path, ast.parse(path.read_text())


def _kinds(root: Path) -> dict[str, Kind]:
    """Each kind of finding by its title; those that one function looks for by all of them."""
    kinds: dict[str, Kind] = {}
    for path, tree in _modules(root):
        looking = [node for node in ast.walk(tree) if isinstance(node, ast.FunctionDef) and _titles(node)]
        if not looking:
            continue
        module = importlib.import_module(".".join(path.relative_to(root).with_suffix("").parts))
        written = dict(_written(thresholds)) | dict(_written(module))
        for node in looking:
            meaning = tidy((ast.get_docstring(node) or "").partition("\n\n")[0])
            kind = kinds.setdefault(" · ".join(_titles(node)), Kind(meaning))
            for known, more in (
                (kind.reasons, _reasons(node)),
                (kind.thresholds, _thresholds(node, written)),
                (kind.mends, _mends(node)),
            ):
                known += [each for each in dict.fromkeys(more) if each not in known]
    return kinds


def _titles(node: ast.FunctionDef) -> list[str]:
    """The titles of the findings that a function makes."""
    calls = [call for call in ast.walk(node) if _calls(call, FOUND)]
    return list(dict.fromkeys(title for call in calls if (title := _title(call, node)).strip("…")))


def _calls(node: ast.AST, names: tuple[str, ...]) -> bool:
    return isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in names


def _title(call: ast.AST, within: ast.FunctionDef) -> str:
    assert isinstance(call, ast.Call)
    given = call.args[1] if len(call.args) > 1 else None
    return "" if given is None else _readable(_value(given, within))


def _value(node: ast.expr, within: ast.FunctionDef) -> str:
    """A string, or that of the variable which holds it."""
    match node:
        case ast.Name(id=name):
            for other in ast.walk(within):
                if isinstance(other, ast.Assign) and any(
                    isinstance(t, ast.Name) and t.id == name for t in other.targets
                ):
                    return _value(other.value, within)
        case ast.IfExp(body=one, orelse=other):
            return f"{_value(one, within)}, or {_value(other, within)}"
    return pattern_of(node)


def _reasons(node: ast.FunctionDef) -> list[str]:
    """The sentences of a function that looks for something."""
    inside = {id(part) for call in ast.walk(node) if _calls(call, MENDS) for part in ast.walk(call)}
    inside |= {id(part) for part in ast.walk(node.body[0])} if ast.get_docstring(node) else set()
    inside |= {id(part) for text in ast.walk(node) if isinstance(text, ast.JoinedStr) for part in text.values}
    said = []
    for part in ast.walk(node):
        if id(part) not in inside and isinstance(part, ast.JoinedStr | ast.Constant):
            text = _readable(part)
            if text.endswith(".") and " " in text:
                said.append(text)
    return said


def _mends(node: ast.FunctionDef) -> list[str]:
    return [_readable(_value(call.args[0], node)) for call in ast.walk(node) if _calls(call, MENDS) and call.args]  # type: ignore[attr-defined]


def _thresholds(node: ast.FunctionDef, written: Written) -> list[str]:
    """The thresholds that a function looks at, each with its value and what is written of it."""
    used = {name.id for name in ast.walk(node) if isinstance(name, ast.Name)}
    return [f"{', '.join(values)}. {text}" for names, (values, text) in written.items() if used & set(names)]


def _written(module: ModuleType) -> Iterator[tuple[tuple[str, ...], tuple[list[str], str]]]:
    """What a module says below its numbers, by their names, with their values."""
    tree = ast.parse(Path(module.__file__ or "").read_text())
    for node, after in zip(tree.body, tree.body[1:], strict=False):
        if isinstance(node, ast.Assign) and isinstance(after, ast.Expr) and isinstance(after.value, ast.Constant):
            targets = node.targets[0].elts if isinstance(node.targets[0], ast.Tuple) else node.targets
            names = tuple(target.id for target in targets if isinstance(target, ast.Name))
            values = [getattr(module, name) for name in names]
            if all(isinstance(value, int | float) for value in values):
                yield names, ([f"{value:g}" for value in values], tidy(str(after.value.value)))


def _refusals(tree: ast.Module) -> Iterator[str]:
    """What a module raises or refuses, in words."""
    for node in ast.walk(tree):
        match node:
            case ast.Raise(exc=ast.Call(func=ast.Name(id=name), args=[said, *_])) if name.endswith("Error"):
                text = _readable(said)
            case ast.Call(func=ast.Name(id="refuse"), args=[_, _, _, said, *_]):
                text = _readable(said)
            case _:
                continue
        if text.endswith((".", "?")) and " " in text:
            yield text


def _readable(node: ast.expr | str) -> str:
    """A string with “…” where something is filled in."""
    if isinstance(node, ast.Constant):
        return tidy(str(node.value))
    text = FILLED_IN.sub("…", node if isinstance(node, str) else pattern_of(node))
    return re.sub(r"…(\s*…)+", "…", tidy(text))
