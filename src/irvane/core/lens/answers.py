"""What the lens database said, kept: it takes a quarter of a second to load, and cameras and lenses are
few."""

from __future__ import annotations

import json
from contextlib import suppress
from functools import lru_cache
from pathlib import Path
from typing import Any

import platformdirs

from irvane.core.errors import IrvaneError
from irvane.core.installed import version_of
from irvane.core.store.atomic import atomic_file
from irvane.core.store.json_text import json_text
from irvane.core.store.small import read_small

#: Answers that are kept, and bytes that they may have.
_MOST, _LARGEST = 300, 1 << 20


def _path() -> Path:
    return platformdirs.user_cache_path("irvane") / "lenses.json"


@lru_cache(maxsize=1)
def _answers() -> dict[str, Any]:
    """What this version of the database said before, by question; empty where nothing of it can be read."""
    with suppress(IrvaneError, ValueError, AttributeError):
        found = json.loads(read_small(_path(), _LARGEST) or b"{}")
        if found.get("database") == version_of("lensfunpy") and isinstance(found.get("answers"), dict):
            return dict(found["answers"])
    return {}


def kept(question: str) -> tuple[bool, Any]:
    """Whether an answer is kept, and it."""
    return question in _answers(), _answers().get(question)


def keep(question: str, answer: Any) -> None:
    """Keep an answer (what JSON can hold); where it cannot be written, for this process alone."""
    answers = _answers()
    answers[question] = answer
    while len(answers) > _MOST:
        answers.pop(next(iter(answers)))
    text = json_text({"database": version_of("lensfunpy"), "answers": answers}, None)
    with suppress(OSError, IrvaneError):
        _path().parent.mkdir(parents=True, exist_ok=True)
        with atomic_file(_path()) as temporary:
            temporary.write_text(text, "utf-8")
