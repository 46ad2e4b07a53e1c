"""The command ``check``: try every file of a folder and list what goes wrong."""

from __future__ import annotations

import argparse
import dataclasses
from functools import partial
from pathlib import Path
from typing import Any

from irvane.commands._inputs import (
    DONE,
    SOME_FAILED,
    append,
    expand,
    guarded,
)
from irvane.core.errors import plain_text
from irvane.core.store.json_text import json_text


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    check = commands.add_parser("check", help="try every file of a folder and list what goes wrong")
    check.add_argument("inputs", nargs="+", metavar="DIR_OR_FILE", type=Path)
    check.add_argument("--json", action="store_true")


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    from irvane.core.judge.check import Finding, check_file

    inputs, failed = expand(args.inputs)
    found: list[Finding] = []
    for path in inputs:
        failed |= not guarded(path, partial(append, found, check_file, path))
        if found and found[-1].path == path and not args.json:
            last = found[-1]
            words = (
                "; ".join(last.problems).removeprefix(f"{plain_text(str(path))}: ")
                or f"well, {last.kind}, {last.size[0]} × {last.size[1]}"
            )
            notes = f" ({' '.join(last.notes)})" if last.notes else ""
            print(f"{path}: {words}{notes}", flush=True)
    if args.json:
        as_dicts = [{**dataclasses.asdict(f), "path": str(f.path)} for f in found]
        print(json_text(as_dicts))
    return SOME_FAILED if failed or any(f.problems for f in found) else DONE
