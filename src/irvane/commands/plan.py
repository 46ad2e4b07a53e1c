"""The command ``plan``: plan a bracket."""

from __future__ import annotations

import argparse
from typing import Any

from irvane.commands._inputs import (
    DONE,
    UsageError,
)
from irvane.core.errors import SettingError
from irvane.core.store.json_text import json_text


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    plan = commands.add_parser("plan", help="plan a bracket: shutter times, which are safe by hand")
    plan.add_argument("--shutter", required=True, metavar="1/250", help="the metered exposure")
    plan.add_argument("--step", type=float, default=2.0, metavar="EV")
    plan.add_argument("--frames", type=int, default=3)
    plan.add_argument("--focal", type=float, default=35.0, metavar="MM", help="as on 36 × 24 mm")
    plan.add_argument("--stabiliser", type=float, default=0.0, metavar="STOPS")
    plan.add_argument(
        "--range",
        type=float,
        default=None,
        metavar="EV",
        help="of the scene, to say how many frames it needs",
    )
    plan.add_argument("--json", action="store_true")


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    from irvane.core.merge.planning import plan_bracket, seconds_of

    try:
        made = plan_bracket(
            seconds_of(args.shutter), args.step, args.frames, args.focal, args.stabiliser, args.range
        )
    except SettingError as error:
        raise UsageError(str(error)) from error
    if args.json:
        print(json_text(made.as_dict()))
    else:
        print(made.words())
    return DONE
