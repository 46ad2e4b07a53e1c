"""The command ``mark``: keep, reject, give stars."""

from __future__ import annotations

import argparse
from dataclasses import replace
from pathlib import Path
from typing import Any

from irvane.commands._inputs import (
    DONE,
    SOME_FAILED,
    expand,
    guarded,
)
from irvane.core.files.proofs import KEEP, MOST_STARS, REJECT, Sidecar


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    marks = commands.add_parser("mark", help="keep, reject, give stars: kept in the frame's sidecar")
    marks.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    which = marks.add_mutually_exclusive_group()
    for mark, words in ((KEEP, "keep it"), (REJECT, "reject it; the file stays")):
        which.add_argument(f"--{mark}", dest="mark", action="store_const", const=mark, help=words)
    which.add_argument(
        "--clear", dest="mark", action="store_const", const="", help="neither kept nor rejected"
    )
    marks.add_argument("--stars", type=int, choices=range(MOST_STARS + 1), metavar=f"0-{MOST_STARS}")
    marks.add_argument(
        "--xmp", action="store_true", help="as XMP rating beside the frame, too, for other programs"
    )


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    from irvane.core.files.identity import content_hash
    from irvane.core.files.remembered import begun
    from irvane.core.files.sidecar import load_sidecar, save_sidecar
    from irvane.core.files.xmp_rating import write_rating

    changes = {k: v for k, v in (("mark", args.mark), ("stars", args.stars)) if v is not None}
    inputs, failed = expand(args.inputs)
    for path in inputs:

        def one(path: Path = path) -> None:
            key = content_hash(path)
            found = load_sidecar(path, key)
            marked = replace(found or begun(path) or Sidecar(), **changes)
            if changes:
                save_sidecar(marked, path, key, base=found)
            beside = write_rating(path, marked.mark, marked.stars) if args.xmp else ()
            words = [marked.mark or "no mark", f"{marked.stars} stars", *(b.name for b in beside)]
            print(f"{path}: {', '.join(words)}")

        failed |= not guarded(path, one)
    return SOME_FAILED if failed else DONE
