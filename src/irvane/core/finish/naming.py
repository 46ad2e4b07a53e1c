"""Names of written files, from a pattern."""

from __future__ import annotations

import string
from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from irvane.core.errors import SettingError
from irvane.core.files.info import FrameInfo

#: Words that a pattern may hold in braces, and what they stand for.
WORDS = {
    "name": "the frame's name without its ending", "proof": "the proof's name", "n": "a counter from 1, "
        "{n:3} with three digits",
    "date": "day of capture, 2026-03-04", "time": "time of capture, 10-20-30",
    "camera": "model of the camera",
    "iso": "sensitivity", "destination": "name of the destination",
}  # fmt: skip
#: Bytes of a name, its ending not counted: file systems take 255.
_LONGEST = 200
#: Signs that a name may not hold on Windows (Naming Files, Paths, and Namespaces), and names of its devices.
_FORBIDDEN = '<>:"/\\|?*'
_DEVICES = {"con", "prn", "aux", "nul", *(f"{port}{n}" for port in ("com", "lpt") for n in range(1, 10))}


@dataclass(frozen=True)
class Named:
    """What a name is made from."""

    frame: Path
    proof: str
    number: int
    info: FrameInfo
    destination: str = ""


def file_name(pattern: str, named: Named, ending: str) -> str:
    """A file name that every system takes.

    Raises
    ------
    SettingError
        When the pattern has words that are not known, or makes no name.
    """
    info = named.info
    taken: datetime | None = info.taken
    known = {
        "name": named.frame.stem, "proof": named.proof, "n": named.number,
        "date": taken.strftime("%Y-%m-%d") if taken else "undated",
        "time": taken.strftime("%H-%M-%S") if taken else "",
        "camera": info.model or "camera", "iso": f"{info.iso:.0f}" if info.iso else "",
        "destination": named.destination,
    }  # fmt: skip
    parts = []
    try:
        for text, word, form, _ in string.Formatter().parse(pattern):
            parts.append(text)
            if word is None:
                continue
            if word not in known:
                raise SettingError(
                    f"“{{{word}}}” is not known in names; there are {', '.join(f'{{{w}}}' for w in WORDS)}."
                )
            value = known[word]
            digits = int(form) if word == "n" and form else 0
            parts.append(f"{value:0{digits}d}" if word == "n" else str(value))
    except ValueError as error:
        raise SettingError(f"The pattern “{pattern}” is not complete: a brace is missing.") from error
    made = portable_name("".join(parts))
    if not made:
        raise SettingError(f"The pattern “{pattern}” makes no name.")
    return f"{made}{ending}"


def portable_name(text: str) -> str:
    """A name that Linux, macOS and Windows take; empty when nothing is left of it."""
    allowed = (c if c not in _FORBIDDEN and c.isprintable() else "-" for c in text)
    name = (
        "".join(allowed)
        .strip(" .-_")
        .encode("utf-8", "replace")[:_LONGEST]
        .decode("utf-8", "ignore")
        .rstrip(" .")
    )
    return f"{name}_" if name.partition(".")[0].casefold() in _DEVICES else name


def free_path(folder: Path, name: str, taken: Collection[Path] = ()) -> Path:
    """A path in a folder that is neither there nor taken: with the first free number where it has to be."""
    path, number = folder / name, 2
    while path in taken or path.exists():
        path = folder / f"{Path(name).stem}-{number}{Path(name).suffix}"
        number += 1
    return path
