"""The command ``ladder``: how far a camera can be pushed."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from irvane.commands._inputs import (
    DONE,
    SOME_FAILED,
    UsageError,
    expand,
    guarded,
)
from irvane.commands._judging import finish, numbers

#: It computes pictures: what it needs is compiled before.
COMPUTES = True


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    ladder = commands.add_parser(
        "ladder", help="how far a camera can be pushed, from frames in steps of exposure"
    )
    ladder.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    ladder.add_argument("--report", type=Path, metavar="DIR")
    ladder.add_argument("--json", action="store_true")
    ladder.add_argument(
        "--limit", type=float, default=None, metavar="DB", help="SNR that is still usable (20 dB)"
    )
    ladder.add_argument("--denoised", action="store_true", help="measure after denoising too")
    ladder.add_argument("--reference", type=Path, metavar="IN", help="the frame at 0 EV")
    ladder.add_argument(
        "--chart", metavar="X,Y,W,H,ROWS,COLUMNS", help="where the patches are, when they are not found"
    )


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    from irvane.core.judge.chart import marked_chart
    from irvane.core.judge.ladder import read_ladder
    from irvane.core.judge.ladder_report import ladder_report
    from irvane.core.judge.usable import USUAL_LIMIT
    from irvane.core.pixels.places import FrameRegion

    inputs, failed = expand(args.inputs)
    patches = None
    if args.chart is not None:
        x, y, w, h, rows, columns = numbers(args.chart, 6, "--chart (X,Y,W,H,ROWS,COLUMNS)")
        if min(w, h, rows, columns) < 1:
            raise UsageError("--chart takes a rectangle and at least one row and column")
        patches = marked_chart(FrameRegion(y, x, y + h, x + w), rows, columns)
    if not inputs:
        return SOME_FAILED

    def work() -> None:
        ladders = read_ladder(inputs, args.denoised, patches=patches, reference=args.reference)
        finish(args, ladder_report(ladders, USUAL_LIMIT if args.limit is None else args.limit))

    return DONE if guarded(inputs[0], work) and not failed else SOME_FAILED
