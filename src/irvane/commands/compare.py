"""The command ``compare``: pictures beside each other, with figures, a report, or as panes that were kept."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING, Any

from irvane.commands._inputs import (
    DONE,
    SOME_FAILED,
    UsageError,
    expand,
    guarded,
    read_settings,
    settings_options,
)
from irvane.core.errors import ReadError, SettingError
from irvane.core.settings import Settings, bare

if TYPE_CHECKING:
    from irvane.core.line.source import Source
from irvane.commands._judging import finish

#: It computes pictures: what it needs is compiled before.
COMPUTES = True


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
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
    from irvane.core.line.merge_options import MergeOptions
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
            MergeSource(paths, MergeOptions.from_dict(pane.picture.merge)) if merged else FileSource(paths[0])
        )
        if pane.bare:
            found.append((source, f"{source.name} bare", bare()))
            continue
        sidecar = load_sidecar(paths[0], source.key, merged) or Sidecar()
        proof = sidecar.proof(pane.proof) or sidecar.proofs[sidecar.current]
        found.append((source, f"{source.name} “{proof.name}”", proof.settings))
    return found


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    from dataclasses import replace

    from irvane.core.files.preferences import preferences
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
        report = comparison_report(compare_entries(entries, condition=preferences().range_under))
        finish(args, report)

    return SOME_FAILED if not guarded(inputs[0], work) or failed else DONE
