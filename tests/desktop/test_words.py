"""One word for one thing: the table of docs/words.md against every text that people see."""

from __future__ import annotations

import ast
import re
from pathlib import Path

from irvane.core.handbook import pages
from irvane.core.settings import STATIONS, Method, names, spec

ROOT = Path(__file__).parents[2]
#: Words that photographers say are looked for there, and so must stand there.
_SYNONYMS = "synonyms.py"


def _table() -> dict[str, str]:
    """What is not said, and what is said instead."""
    rows = re.findall(r"^\| ([^|]+) \| ([^|]+) \|$", (ROOT / "docs" / "words.md").read_text("utf-8"), re.M)
    return {
        word.strip(): good
        for good, bad in rows
        if good != "we say"
        for word in bad.split(",")
        if word.strip()
    }


def _texts() -> list[tuple[str, str]]:
    """Sentences and labels in the window and the commands: literals with a space or a capital, not docstrings."""
    found = []
    for folder in ("desktop", "commands", "core"):
        for path in sorted((ROOT / "src" / "irvane" / folder).rglob("*.py")):
            if path.name == _SYNONYMS:
                continue
            tree = ast.parse(path.read_text("utf-8"))
            docs = {
                id(node.body[0].value)
                for node in ast.walk(tree)
                if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef)
                and node.body and isinstance(node.body[0], ast.Expr)
            }  # fmt: skip
            for node in ast.walk(tree):
                own = isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in docs
                # style sheets and keys of dictionaries are no sentences
                if (
                    own
                    and not re.search("[{;]", node.value)
                    and (" " in node.value.strip() or node.value[:1].isupper())
                ):
                    found.append((f"{path.name}:{node.lineno}", node.value))
    found += [(one.key, one.text) for one in pages()]
    for station in STATIONS:
        for path in names(station):
            declared = spec(path)
            if not isinstance(declared, Method):
                found.append((path, f"{declared.label} {declared.help}"))
    return found


def test_one_word_for_one_thing() -> None:
    table = _table()
    assert len(table) > 30
    wrong = []
    texts = _texts()
    assert len(texts) > 1000
    for bad, good in table.items():
        pattern = re.compile(rf"(?<!\w){re.escape(bad)}(?!\w)", re.I if bad.islower() else 0)
        wrong += [
            f"{where}: “{text[:60]}” says {bad}: {good}" for where, text in texts if pattern.search(text)
        ]
    assert not wrong, "\n".join(wrong)
