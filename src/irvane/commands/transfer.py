"""The command ``transfer``: electrons of a sensor."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from irvane.commands._inputs import (
    DONE,
    SOME_FAILED,
    expand,
    guarded,
)
from irvane.commands._judging import print_facts

#: It computes pictures: what it needs is compiled before.
COMPUTES = True


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    transfer = commands.add_parser(
        "transfer", help="electrons of a sensor, from pairs of flat and dark frames"
    )
    transfer.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    transfer.add_argument("--json", action="store_true")


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    from irvane.core.judge.pairs import transfer_facts

    inputs, failed = expand(args.inputs)
    if not inputs:
        return SOME_FAILED  # it was said for every folder
    done = guarded(inputs[0], lambda: print_facts(transfer_facts(inputs), args.json))
    return DONE if done and not failed else SOME_FAILED
