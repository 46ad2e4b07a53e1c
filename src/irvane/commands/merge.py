"""The command ``merge``: frames of one scene."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from irvane.commands._inputs import (
    settings_options,
)
from irvane.commands._merging import merge
from irvane.core.merge.kinds import KINDS, PANORAMA

#: It computes pictures: what it needs is compiled before.
COMPUTES = True


#: A panorama is a command of its own.
_KINDS = tuple(kind for kind in KINDS if kind != PANORAMA)


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    merge = commands.add_parser("merge", help="merge frames of one scene")
    merge.add_argument("kind", choices=_KINDS)
    merge.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    merge.add_argument("--out", required=True, type=Path, metavar="FILE")
    merge.add_argument("--overwrite", action="store_true")
    merge.add_argument(
        "--sets",
        dest="every",
        action="store_true",
        help="every bracket (for mean: burst) among the inputs by itself, into a folder",
    )
    merge.add_argument(
        "--ghosts", type=float, default=50.0, metavar="0-100", help="search for what moved; 0: none"
    )
    merge.add_argument(
        "--reference", default="", metavar="NAME", help="the frame whose place and movers are kept"
    )
    merge.add_argument("--align", choices=("auto", "off"), default="auto")
    merge.add_argument(
        "--take",
        action="append",
        default=[],
        metavar="X,Y,RADIUS,NAME",
        help="this place (per cent of width and height; radius in per cent of the width) from that frame; "
        "several may be said",
    )
    merge.set_defaults(projection="auto", crop="fill", point=[])
    settings_options(merge)


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    return merge(args)
