"""The commands that measure and compare."""

from __future__ import annotations

import argparse
import json
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from irvane.commands import DONE, SOME_FAILED, UsageError, expand, guarded, read_settings, settings_options
from irvane.core.errors import ReadError, SettingError
from irvane.core.settings import Settings, bare

if TYPE_CHECKING:
    from irvane.core.line.source import Source


def add_parsers(commands: Any) -> None:
    """Add the commands to the parser's."""
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

    compare = commands.add_parser("compare", help="pictures beside each other, with figures and a report")
    compare.add_argument("inputs", nargs="*", metavar="IN", type=Path)
    compare.add_argument(
        "--kept", metavar="NAME", help="the panes of a comparison that was kept in the window"
    )
    compare.add_argument(
        "--report", type=Path, metavar="DIR", help="write page, PDF, CSV and JSON into a folder"
    )
    compare.add_argument("--json", action="store_true")
    compare.add_argument("--proofs", action="store_true", help="every proof that is kept beside each input")
    compare.add_argument(
        "--try",
        dest="trials",
        metavar="STATION.NAME=V1,V2,…",
        help="each input at several values of a setting",
    )
    settings_options(compare)

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

    transfer = commands.add_parser(
        "transfer", help="electrons of a sensor, from pairs of flat and dark frames"
    )
    transfer.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    transfer.add_argument("--json", action="store_true")


def _numbers(text: str, count: int, what: str) -> list[int]:
    try:
        values = [int(part) for part in text.split(",")]
    except ValueError:
        values = []
    if len(values) != count:
        raise UsageError(f"{what} takes {count} whole numbers")
    return values


def _print(facts: dict[str, Any], as_json: bool) -> None:
    if as_json:
        print(json.dumps(facts, indent=1, ensure_ascii=False))
        return
    for name, value in facts.items():
        print(f"{name}: {value}")


def _measure(args: argparse.Namespace) -> int:
    from irvane.core.judge.facts import measure_file
    from irvane.core.judge.inside import measure_region

    settings = read_settings(args, Settings())
    if args.at is not None:
        x, y, w, h = _numbers(args.at, 4, "--at (X,Y,W,H)")

    def work() -> None:
        if args.at is None:
            _print(measure_region(args.input, settings, args.region), args.json)
        else:
            _print(measure_file(args.input, settings, (x, y, w, h), args.kind), args.json)

    return DONE if guarded(args.input, work) else SOME_FAILED


def _variants(args: argparse.Namespace, path: Path, settings: Settings) -> list[tuple[str, Settings]]:
    """What each input is shown as: one proof, several values of a setting, or the proofs beside it."""
    from irvane.core.files.identity import content_hash
    from irvane.core.files.sidecar import load_sidecar
    from irvane.core.settings import full_label, value_text

    if args.proofs:
        found = load_sidecar(path, content_hash(path))
        if found is None:
            raise ReadError(path, "no proofs are kept beside this file")
        return [(f"{path.name} “{proof.name}”", proof.settings) for proof in found.proofs]
    if not args.trials:
        return [(path.name, settings)]
    name, _, values = args.trials.partition("=")
    try:
        tried = [settings.with_value(name.strip(), value.strip()) for value in values.split(",")]
    except SettingError as error:
        raise UsageError(str(error)) from error
    return [(f"{path.name} {full_label(name)} {value_text(name, s.get(name))}", s) for s in tried]


def _kept(name: str) -> list[tuple[Source, str, Settings]]:
    """What the panes of a kept comparison show: source, name, settings; empty panes are left out."""
    from irvane.core.files.benches import benches_folder, path_for, read_bench
    from irvane.core.files.proofs import Sidecar
    from irvane.core.files.sidecar import load_sidecar
    from irvane.core.line.how import How
    from irvane.core.line.merging import MergeSource
    from irvane.core.line.source import FileSource

    path = Path(name)
    found: list[tuple[Source, str, Settings]] = []
    for pane in read_bench(path if path.is_file() else path_for(name, benches_folder())).panes:
        if pane.picture is None:
            continue
        paths = [Path(one) for one in pane.picture.paths]
        merged = pane.picture.merge is not None
        source: Source = (
            MergeSource(paths, How.from_dict(pane.picture.merge)) if merged else FileSource(paths[0])
        )
        if pane.bare:
            found.append((source, f"{source.name} bare", bare()))
            continue
        sidecar = load_sidecar(paths[0], source.key, merged) or Sidecar()
        proof = sidecar.proof(pane.proof) or sidecar.proofs[sidecar.current]
        found.append((source, f"{source.name} “{proof.name}”", proof.settings))
    return found


def _compare(args: argparse.Namespace) -> int:
    from dataclasses import replace

    from irvane.core.judge.comparing import Entry, compare_entries, develop_entry
    from irvane.core.judge.report import comparison_report
    from irvane.core.line.source import FileSource

    if bool(args.inputs) == bool(args.kept):
        raise UsageError("compare needs pictures, or --kept NAME")
    settings = read_settings(args, Settings())
    inputs, failed = expand(args.inputs)
    if args.kept:
        panes = _kept(args.kept)
        inputs = [source.paths[0] for source, *_ in panes]
    if not inputs:
        return SOME_FAILED  # it was said for every folder
    if args.trials:
        _variants(args, inputs[0], settings)  # wrong words are told before anything is developed
    entries: list[Entry] = []
    for place, path in enumerate(inputs):

        def one(place: int = place, path: Path = path) -> None:
            if args.kept:
                shown = [panes[place]]
            else:
                shown = [(FileSource(path), name, own) for name, own in _variants(args, path, settings)]
            for source, name, own in shown:
                entries.append(replace(develop_entry(source, own), name=name))

        failed |= not guarded(path, one)
    if len(entries) < 2:
        if failed:
            return SOME_FAILED
        raise UsageError("a comparison needs at least two pictures (see --try and --proofs)")

    def work() -> None:
        report = comparison_report(compare_entries(entries))
        _finish(args, report)

    return SOME_FAILED if not guarded(inputs[0], work) or failed else DONE


def _finish(args: argparse.Namespace, report: Any) -> None:
    """Print a report's figures, and write it where that was asked for."""
    if args.report is not None:
        written = report.write(args.report)
        from irvane.desktop.pdf import write_pdf

        written.append(write_pdf(report, written[0]))
        if not args.json:
            for path in written:
                print(f"-> {path}")
    if args.json:
        print(json.dumps(report.figures, indent=1, ensure_ascii=False))
    else:
        for sentence in report.summary:
            print(sentence)


def _ladder(args: argparse.Namespace) -> int:
    from irvane.core.judge.chart import marked_chart
    from irvane.core.judge.ladder import read_ladder
    from irvane.core.judge.ladder_report import ladder_report
    from irvane.core.judge.usable import USUAL_LIMIT
    from irvane.core.places import Region

    inputs, failed = expand(args.inputs)
    patches = None
    if args.chart is not None:
        x, y, w, h, rows, columns = _numbers(args.chart, 6, "--chart (X,Y,W,H,ROWS,COLUMNS)")
        if min(w, h, rows, columns) < 1:
            raise UsageError("--chart takes a rectangle and at least one row and column")
        patches = marked_chart(Region(y, x, y + h, x + w), rows, columns)
    if not inputs:
        return SOME_FAILED

    def work() -> None:
        ladders = read_ladder(inputs, args.denoised, patches=patches, reference=args.reference)
        _finish(args, ladder_report(ladders, USUAL_LIMIT if args.limit is None else args.limit))

    return DONE if guarded(inputs[0], work) and not failed else SOME_FAILED


def _transfer(args: argparse.Namespace) -> int:
    from irvane.core.judge.pairs import transfer_facts

    inputs, failed = expand(args.inputs)
    if not inputs:
        return SOME_FAILED  # it was said for every folder
    done = guarded(inputs[0], lambda: _print(transfer_facts(inputs), args.json))
    return DONE if done and not failed else SOME_FAILED


COMMANDS: dict[str, Callable[[argparse.Namespace], int]] = {
    "measure": _measure,
    "compare": _compare,
    "ladder": _ladder,
    "transfer": _transfer,
}
