"""The command ``warm``: compile what computes ahead of its first use."""

from __future__ import annotations

import argparse
import sys
from typing import Any

from irvane.commands._inputs import (
    DONE,
)


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    commands.add_parser("warm", help="compile the computing kernels ahead of the first use")


def run(_args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    from irvane.warm import warm

    def progress(done: float) -> bool:
        print(f"\r  compiling for this machine, once {done:4.0%}", end="", file=sys.stderr, flush=True)
        return True

    warm(progress)
    print("\r  everything is compiled                ", file=sys.stderr)
    return DONE
