"""The command ``info``: exposure data, noise model, sets; measured on demand."""

from __future__ import annotations

import argparse
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
from irvane.core.errors import FileError
from irvane.core.store.json_text import json_text


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    info = commands.add_parser("info", help="exposure data, noise model, sets")
    info.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    info.add_argument(
        "--measure", action="store_true", help="noise, range and diagnosis too: the picture is decoded"
    )
    info.add_argument("--json", action="store_true")


def _regions_of(path: Path) -> dict[str, Any]:
    """The regions of the proof that a frame's sidecar has as its current one; nothing where there is none."""
    from irvane.core.files.identity import content_hash
    from irvane.core.files.sidecar import load_sidecar

    try:
        sidecar = load_sidecar(path, content_hash(path))
    except FileError:
        return {}
    regions = () if sidecar is None else sidecar.proofs[sidecar.current].settings.regions
    told = [
        {
            "name": one.name,
            "on": one.on,
            "shapes": [part.kind for part in one.parts],
            "changes": dict(one.changes),
        }
        for one in regions
    ]
    return {"regions": told} if told else {}


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    from irvane.core.files.header import header_facts

    def facts_of(path: Path) -> dict[str, Any]:
        if not args.measure:
            return header_facts(path) | _regions_of(path)
        from irvane.core.judge.facts import frame_facts

        return frame_facts(path) | _regions_of(path)

    inputs, failed = expand(args.inputs)
    facts: list[dict[str, Any]] = []
    for path in inputs:
        failed |= not guarded(path, partial(append, facts, facts_of, path))
    sets: list[dict[str, Any]] = []
    if len(facts) > 1:
        from irvane.core.judge.facts import sets_of

        sets = sets_of([Path(f["path"]) for f in facts])
    if args.json:
        print(json_text({"frames": facts, "sets": sets}))
    else:
        for fact in facts:
            print(fact["path"])
            for name, value in fact.items():
                if name != "path" and value not in (None, "", [], ()):
                    print(f"  {name}: {value}")
        for found in sets:
            steps = ", ".join(f"{offset:+g} EV" for offset in found["offsets"])
            print(f"{found['kind']}: {', '.join(found['frames'])}{f' ({steps})' if steps else ''}")
    return SOME_FAILED if failed else DONE
