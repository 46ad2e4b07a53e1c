"""Make kept results anew, where the line is changed knowingly: ``scripts/golden NAME…`` (or ``--missing``, ``--all``)."""

from __future__ import annotations

import sys

from .cases import CASES
from .frames import make
from .making import keep, made_of, path_of


def main(names: list[str]) -> int:
    """Keep what the named cases give now."""
    make()
    if names == ["--all"]:
        names = list(CASES)
    elif names == ["--missing"]:
        names = [name for name in CASES if not path_of(name).exists()]
    unknown = [name for name in names if name not in CASES]
    if unknown or not names:
        print(f"Name cases, --missing or --all. Not known: {', '.join(unknown) or 'none'}", file=sys.stderr)
        return 2
    for name in names:
        keep(name, made_of(CASES[name]))
        print(name, path_of(name).stat().st_size, flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
