"""The command ``path``: look for the path of frames that moved."""

from __future__ import annotations

import argparse
import json
from functools import partial
from pathlib import Path
from typing import Any

from irvane.commands._inputs import DONE, SOME_FAILED, expand, guarded, keep_to_threads


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    path = commands.add_parser(
        "path",
        help="look for the path of frames that moved; what is printed can be given to --set acutance.path=…",
    )
    path.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    path.add_argument("--json", action="store_true")


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    from irvane.core.line.moving import path_of_file

    keep_to_threads()
    told: dict[str, Any] = {}

    def look(path: Path) -> None:
        found = path_of_file(path)
        points = [] if found is None else [list(point) for point in found.blur.path]
        told[str(path)] = {"path": points, "confidence": 0.0 if found is None else found.likeness}
        if args.json:
            return
        if found is None:
            print(f"{path}: no path was found; its parts do not agree on one, or it did not move.")
            return
        words = ",".join(f"{x:g}:{y:g}" for x, y in found.blur.path)
        print(
            f"{path}: {found.blur.size:.1f} px across, {found.likeness:.0%} alike in its "
            f"parts\nacutance.path={words}"
        )

    files, failed = expand(args.inputs)
    good = [guarded(path, partial(look, path)) for path in files]
    if args.json:
        print(json.dumps(told, indent=1))
    return DONE if all(good) and not failed else SOME_FAILED
