"""The command line's words for blur: the path of a frame that moved, the softness of a lens."""

from __future__ import annotations

import argparse
import json
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from irvane.commands import DONE, SOME_FAILED, UsageError, expand, guarded, keep_to_threads


def add_parsers(commands: Any) -> None:
    """Add the commands."""
    path = commands.add_parser(
        "path",
        help="look for the path of frames that moved; what is printed can be given to --set acutance.path=…",
    )
    path.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    path.add_argument("--json", action="store_true")
    lens = commands.add_parser(
        "lens-blur",
        help="measure how soft a lens is from a chart or a series of frames, and keep it for that lens",
    )
    lens.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    lens.add_argument("--keep", action="store_true", help="new proofs of frames with this lens begin with it")
    lens.add_argument(
        "--forget", action="store_true", help="what is kept for the lens of these frames is dropped"
    )
    lens.add_argument("--json", action="store_true")


def _path(args: argparse.Namespace) -> int:
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
            f"{path}: {found.blur.size:.1f} px across, {found.likeness:.0%} alike in its parts\nacutance.path={words}"
        )

    files, failed = expand(args.inputs)
    good = [guarded(path, partial(look, path)) for path in files]
    if args.json:
        print(json.dumps(told, indent=1))
    return DONE if all(good) and not failed else SOME_FAILED


def _lens_blur(args: argparse.Namespace) -> int:
    from irvane.core.files.info import read_info
    from irvane.core.files.remembered import keep_softness
    from irvane.core.line.softness import lens_softness

    keep_to_threads()
    if args.keep and args.forget:
        raise UsageError("say --keep or --forget, not both")
    files, failed = expand(args.inputs)
    if not files:
        return SOME_FAILED

    def measure() -> None:
        info = read_info(files[0])
        if args.forget:
            keep_softness(info, None)
            print("Forgotten.")
            return
        found = lens_softness(files)
        if args.json:
            print(json.dumps({"middle_px": found.middle, "corner_px": found.corner, "edges": found.edges}))
        else:
            print(f"{info.lens or 'This lens'}: {found.words()}")
        if args.keep and not found.worth:
            print("As sharp as its pixels: there is nothing to keep.")
        elif args.keep:
            keep_softness(info, (found.middle, found.corner))
            print("Kept: new proofs of frames with this lens begin with it.")

    return DONE if guarded(files[0], measure) and not failed else SOME_FAILED


COMMANDS: dict[str, Callable[[argparse.Namespace], int]] = {"path": _path, "lens-blur": _lens_blur}
