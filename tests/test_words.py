"""Words that the trade has another for stand in no string of the program and on no page."""

import ast
import re
from pathlib import Path

ROOT = Path(__file__).parents[1]
DROPPED = {
    "turn-?round": "response time",
    "roll-call": "unit scan",
    r"\blent\b": "shared",
    "taken for right": "accepted",
    r"\bway there\b|\bway to a device\b": "path",
}


def strings(path: Path) -> list[str]:
    """All strings of a module but its docstrings."""
    tree = ast.parse(path.read_text())
    docs = {
        id(node.body[0].value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef)
        and node.body
        and isinstance(node.body[0], ast.Expr)
    }
    return [
        node.value
        for node in ast.walk(tree)
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in docs
    ]


def test_dropped_words_are_gone_from_the_screen_and_from_every_page() -> None:
    said = [(path, text) for path in (ROOT / "src").rglob("*.py") for text in strings(path)]
    said += [(path, path.read_text()) for end in ("*.toml", "*.j2") for path in (ROOT / "src").rglob(end)]
    said += [(path, path.read_text()) for path in (ROOT / "README.md", *(ROOT / "docs").glob("*.md"))]
    assert len(said) > 10_000
    found = [
        f"{path.relative_to(ROOT)}: {text[max(0, hit.start() - 40) : hit.end() + 20]!r}, say {better}"
        for word, better in DROPPED.items()
        for path, text in said
        for hit in re.finditer(word, text, re.I)
    ]
    assert found == []
