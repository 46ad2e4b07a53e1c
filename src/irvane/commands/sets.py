"""The command ``sets``: which files belong together."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from irvane.commands._inputs import (
    DONE,
    SOME_FAILED,
    expand,
)
from irvane.core.store.json_text import json_text


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    sets = commands.add_parser("sets", help="which files belong together")
    sets.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    sets.add_argument("--json", action="store_true")


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    from irvane.core.judge.facts import sets_of

    inputs, failed = expand(args.inputs)
    found = sets_of(inputs)
    if args.json:
        print(json_text(found))
    else:
        for one in found:
            steps = ", ".join(f"{offset:+g} EV" for offset in one["offsets"])
            count = len(one.get("positions", ()))
            steps = f"{count} positions" if count else steps
            print(f"{one['kind']}: {', '.join(one['frames'])}{f' ({steps})' if steps else ''}")
        if not found:
            print("No frames that belong together.")
    return SOME_FAILED if failed else DONE
