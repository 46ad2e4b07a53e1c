"""The command ``demo``: make the demo pictures and open them."""

from __future__ import annotations

import argparse
import sys
from functools import partial
from pathlib import Path
from typing import Any

from irvane.commands._inputs import (
    DONE,
    SOME_FAILED,
    guarded,
)
from irvane.commands._window import handed_over, window


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    demo = commands.add_parser("demo", help="make the demo pictures and open them")
    demo.add_argument(
        "--data-only", metavar="DIR", nargs="?", const="", default=None, help="make the pictures only"
    )
    demo.add_argument("--small", action="store_true", help="a few small pictures (tests)")
    demo.add_argument("--seed", type=int, default=1)


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    from irvane.core.simulate.demo import make_demo
    from irvane.core.simulate.folder import demo_folder

    folder = Path(args.data_only) if args.data_only else demo_folder()

    def progress(done: float, what: str) -> bool:
        print(f"\r  demo pictures {done:4.0%}  {what:<40}", end="", file=sys.stderr, flush=True)
        return True

    # a new window opens on the first few and makes the rest itself
    soon = args.data_only is None and not args.small and not handed_over([])
    ok = guarded(folder, partial(make_demo, folder, args.seed, args.small, progress, soon))
    print(file=sys.stderr)
    if not ok:
        return SOME_FAILED
    if args.data_only is not None:
        print(folder)
        return DONE
    return window([folder], soon)
