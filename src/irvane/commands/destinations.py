"""The command ``destinations``: named ways to write."""

from __future__ import annotations

import argparse
from typing import Any

from irvane.commands._inputs import (
    DONE,
)
from irvane.core.store.json_text import json_text


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    kinds = commands.add_parser("destinations", help="named ways to write")
    kinds.add_argument("--json", action="store_true")


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    from dataclasses import asdict

    from irvane.core.finish.destination import destinations, destinations_folder

    found = destinations()
    if args.json:
        print(json_text([asdict(one) for one in found]))
        return DONE
    for one in found:
        print(f"{one.name}: {one.words()}, into {one.folder}, named {one.pattern}{one.ending}")
    print(f"One's own are kept in {destinations_folder()}")
    return DONE
