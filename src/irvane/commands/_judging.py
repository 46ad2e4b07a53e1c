"""What commands that measure share: numbers that are given, figures that are printed."""

from __future__ import annotations

import argparse
from typing import Any

from irvane.commands._inputs import (
    UsageError,
)
from irvane.core.store.json_text import json_text


def numbers(text: str, count: int, what: str) -> list[int]:
    try:
        values = [int(part) for part in text.split(",")]
    except ValueError:
        values = []
    if len(values) != count:
        raise UsageError(f"{what} takes {count} whole numbers")
    return values


def print_facts(facts: dict[str, Any], as_json: bool) -> None:
    if as_json:
        print(json_text(facts))
        return
    for name, value in facts.items():
        print(f"{name}: {value}")


def finish(args: argparse.Namespace, report: Any) -> None:
    """Print a report's figures, and write it where that was asked for."""
    if args.report is not None:
        written = report.write(args.report)
        from irvane.desktop.pdf import write_pdf

        written.append(write_pdf(report, written[0]))
        if not args.json:
            for path in written:
                print(f"-> {path}")
    if args.json:
        print(json_text(report.figures))
    else:
        for sentence in report.summary:
            print(sentence)
