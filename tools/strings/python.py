"""Strings of Python modules that may be read: labels, help lines, choices, messages and what commands print."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

from tools.strings.text import FILLED_IN, Text, filled_in, tidy

SAID = ("label", "help", "unit", "title", "reason", "description", "verbose_name", "metavar", "says", "name")
"""Keywords whose values are read whatever they look like."""

CHOSEN = "chosen"
"""Stands for a keyword where a string is a value of a dictionary or one of two that are chosen from."""

NEVER = re.compile(
    r"^[\w./:+*-]*[_/][\w./:+*-]*$"  # names of fields, files and addresses
    r"|^[a-z0-9][\w:*+-]*(\.(?!json$|txt$)[\w:*+-]*)*$"  # words of the code
    r"|[<>]=?%|\\[dws]|\(\?|^[\w*]+/[\w*.+-]+$|^--|[;{]\s*$"  # patterns, media types, options, styles
    r"|^[A-Z]+_[A-Z_]+$|^#[0-9a-f]{6}$|\0"
)
"""What nobody is meant to read."""

WORKINGS = {
    "compile", "getLogger", "dtype", "einsum", "sub", "match", "fullmatch", "findall", "import_module", "filter",
}  # fmt: skip
"""Functions whose strings are for the program alone."""


def texts_of_python(path: Path) -> Iterator[Text]:
    """The strings of a module that may be read, in order. Of docstrings there are those of classes, which galleries and
    help show, and those of commands.
    """
    tree = ast.parse(path.read_text())
    for part in ast.walk(tree):
        shown = isinstance(part, ast.ClassDef) and _is_titled(part)
        shown |= isinstance(part, ast.Module) and path.parent.name == "commands"
        if shown and (about := ast.get_docstring(part)):  # type: ignore[arg-type]
            yield Text(path, part.body[0].lineno, tidy(about.partition("\n\n")[0]))  # type: ignore[attr-defined]
    hidden = {id(part) for node in _unread(tree) for part in ast.walk(node)}
    for node, keyword in _strings(tree, hidden, None):
        text = Text(path, node.lineno, tidy(pattern_of(node)))
        if text.fixed and (keyword in (*SAID, CHOSEN) or not NEVER.search(FILLED_IN.sub("_", text.text))):
            yield text


def _is_titled(node: ast.ClassDef) -> bool:
    """Whether a class has a title of its own, as treatments, layers, maps and shapes have."""
    return any(isinstance(part, ast.AnnAssign) and ast.unparse(part.target) == "title" for part in node.body)


def pattern_of(node: ast.expr) -> str:
    """A string as it is written, with `{what}` where something is filled in."""
    match node:
        case ast.Constant(value=str(text)):
            return text
        case ast.JoinedStr(values=parts):
            return "".join(pattern_of(part) for part in parts)
        case ast.FormattedValue(value=what):
            return filled_in(ast.unparse(what))
        case ast.BinOp(left=left, op=ast.Add(), right=right):
            return pattern_of(left) + pattern_of(right)
    return filled_in(ast.unparse(node))


def _unread(tree: ast.Module) -> Iterator[ast.AST]:
    """What holds strings for the program alone: docstrings, types, and what some functions are given."""
    for node in ast.walk(tree):
        match node:
            case ast.Expr(value=ast.Constant(value=str())):
                yield node
            case ast.AnnAssign(annotation=kind) | ast.arg(annotation=ast.expr() as kind):
                yield kind
            case ast.Subscript(slice=index):
                yield index
            case ast.FunctionDef(returns=ast.expr() as kind):
                yield kind
            case ast.Call(func=ast.Name(id=name) | ast.Attribute(attr=name)) if name in WORKINGS:
                yield from node.args
            case ast.Call(func=ast.Name(id="Literal")):
                yield node


def _strings(node: ast.AST, hidden: set[int], keyword: str | None) -> Iterator[tuple[ast.expr, str | None]]:
    """The strings below a node that are whole, each with the keyword that it is given by."""
    if id(node) in hidden:
        return
    if isinstance(node, ast.JoinedStr) or (isinstance(node, ast.Constant) and isinstance(node.value, str)):
        yield node, keyword
        # strings within what is filled in, such as a plural
        for part in ast.walk(node):
            if isinstance(part, ast.FormattedValue):
                yield from _strings(part.value, hidden, None)
        return
    chosen = (
        [node.body, node.orelse] if isinstance(node, ast.IfExp) else node.values if isinstance(node, ast.Dict) else []
    )
    for child in ast.iter_child_nodes(node):
        name = child.arg if isinstance(child, ast.keyword) else CHOSEN if child in chosen else keyword
        yield from _strings(child, hidden, name)
