"""The command ``measure``: figures of a place."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from irvane.commands._inputs import (
    DONE,
    SOME_FAILED,
    guarded,
    read_settings,
    settings_options,
)
from irvane.commands._judging import numbers, print_facts
from irvane.core.settings import Settings

#: It computes pictures: what it needs is compiled before.
COMPUTES = True


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    measure = commands.add_parser("measure", help="figures of a rectangle, or inside a region")
    measure.add_argument("input", metavar="IN", type=Path)
    where = measure.add_mutually_exclusive_group(required=True)
    where.add_argument("--at", metavar="X,Y,W,H", help="rectangle in output pixels")
    where.add_argument(
        "--region", metavar="NAME", help="a region of the settings: figures of squares all over it"
    )
    measure.add_argument(
        "--kind",
        choices=("flat", "edge", "grain", "gradient"),
        default="flat",
        help="what it holds (default: flat)",
    )
    measure.add_argument("--json", action="store_true")
    settings_options(measure)


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    from irvane.core.judge.facts import measure_file
    from irvane.core.judge.inside import measure_region

    settings = read_settings(args, Settings())
    if args.at is not None:
        x, y, w, h = numbers(args.at, 4, "--at (X,Y,W,H)")

    def work() -> None:
        if args.at is None:
            print_facts(measure_region(args.input, settings, args.region), args.json)
        else:
            print_facts(measure_file(args.input, settings, (x, y, w, h), args.kind), args.json)

    return DONE if guarded(args.input, work) else SOME_FAILED
