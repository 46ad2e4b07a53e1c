"""The command ``copy``: copy a card, verified."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from irvane.commands._inputs import (
    DONE,
    SOME_FAILED,
    UsageError,
)
from irvane.core.errors import SettingError
from irvane.core.store.json_text import json_text


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    card = commands.add_parser("copy", help="copy a card: verified, renamed, nothing deleted")
    card.add_argument("card", metavar="CARD", type=Path)
    card.add_argument("--to", required=True, metavar="DIR", type=Path, dest="folder")
    card.add_argument("--names", default="{date}/{name}", metavar="PATTERN", help="a slash makes folders")
    card.add_argument("--json", action="store_true")


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    from irvane.core.finish.copying import FAILED, copy_all, find_pictures, plan_copy, told

    try:
        found, others = find_pictures(args.card)
        planned = plan_copy(found, args.folder, args.names)
    except SettingError as error:
        raise UsageError(str(error)) from error
    results = []
    for one in copy_all(planned):
        results.append(one)
        if one.state == FAILED:
            print(f"irvane: {one.reason}", file=sys.stderr)
        elif not args.json:
            print(f"{one.source} -> {one.target} ({one.state})", flush=True)
    if args.json:
        told_ = [
            {"source": str(r.source), "target": str(r.target), "state": r.state, "reason": r.reason or None}
            for r in results
        ]
        print(json_text(told_))
    else:
        print(told(results, others))
    return SOME_FAILED if any(r.state == FAILED for r in results) else DONE
