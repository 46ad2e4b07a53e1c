"""The handbook: one page a job, in the order of work. What it says of settings, looks and figures is made
from
their declarations."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from irvane.core.declaring import Number
from irvane.core.judge.rows import ROWS
from irvane.core.line.look_purposes import by_purpose
from irvane.core.settings import STATIONS, Choice, Method, names, spec

#: Pages in the order of work.
PAGES = (
    "start", "bring-in", "choose", "sensor", "lens", "crop", "noise", "light", "colour", "acutance",
    "regions",
    "merge", "panorama", "compare", "figures", "looks", "automatic", "copy-settings", "write", "decide",
    "ladder",
    "screen",
)  # fmt: skip
#: The page that tells of a station.
PAGE_OF = {station: station for station in STATIONS} | {"finish": "write"}
_MARK = re.compile(r"^\{(\w+)(?: (\w+))?\}$", re.M)


@dataclass(frozen=True)
class Page:
    """One page.

    Attributes
    ----------
    key : its identity. title : its heading. text : all of it, as Markdown.
    """

    key: str
    title: str
    text: str


def _settings(station: str) -> str:
    """Every setting of a station: what it does, when to use it, its range."""
    lines = ["## Every setting", ""]
    group = ""
    for path in names(station):
        one = spec(path)
        assert not isinstance(one, Method)
        if one.group.label != group:
            group = one.group.label
            lines += ["", f"### {group}", ""]
        lines.append(f"**{one.label}**. {one.help}")
        if isinstance(one, Number):
            sign = "" if one.low >= 0 else "+"
            rest = f"From {one.low:g} to {sign}{one.high:g} {one.unit}; without effect at {one.neutral:g}."
            lines[-1] += f" *{rest}{' Automatic: measured.' if one.automatic else ''}*"
        elif isinstance(one, Choice):
            lines[-1] += f" *{', '.join(words for _key, words in one.options)}.*"
        lines.append("")
    return "\n".join(lines)


def _looks(_of: str) -> str:
    lines = []
    for purpose, looks in by_purpose().items():
        lines += [f"## {purpose.capitalize()}", ""]
        lines += [f"- **{look.words}**: {look.help}" for look in looks.values()] + [""]
    return "\n".join(lines)


def _figures(_of: str) -> str:
    return "\n".join(f"- **{row.title}**: {row.means}" for row in ROWS.values())


_MADE: dict[str, Callable[[str], str]] = {"settings": _settings, "looks": _looks, "figures": _figures}


def pages_folder() -> Path:
    """Where the pages lie, and their pictures."""
    return Path(__file__).parent / "pages"


@cache
def page(key: str) -> Page:
    """A page by its key; KeyError where there is none."""
    if key not in PAGES:
        raise KeyError(key)
    text = (pages_folder() / f"{key}.md").read_text("utf-8")
    text = _MARK.sub(lambda found: _MADE[found[1]](found[2] or ""), text)
    return Page(key, text.partition("\n")[0].removeprefix("# "), text)


def pages() -> list[Page]:
    """All pages, in the order of work."""
    return [page(key) for key in PAGES]
