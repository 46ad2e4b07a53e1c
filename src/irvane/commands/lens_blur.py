"""The command ``lens-blur``: how soft a lens is, measured and kept."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

from irvane.commands._inputs import DONE, SOME_FAILED, UsageError, expand, guarded, keep_to_threads


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
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


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
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
