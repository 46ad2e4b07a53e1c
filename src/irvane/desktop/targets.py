"""What every command does."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QApplication

from irvane.core.fault_report import fault_report
from irvane.core.files.formats import OPENABLE
from irvane.core.files.preferences import preferences
from irvane.core.line.looks import PICTURE
from irvane.core.line.teststrip import PRESETS
from irvane.core.merge.kinds import FUSION, HDR, JOIN, MEAN, PANORAMA
from irvane.desktop.about import AboutDialog
from irvane.desktop.actions import KeysDialog
from irvane.desktop.asking import ask_files, ask_folder, ask_settings
from irvane.desktop.bench.panes import BESIDE, DIFFERENCE, DIVIDED
from irvane.desktop.copying import CopyDialog
from irvane.desktop.preferences import PreferencesDialog
from irvane.desktop.shot_card import show_shot


def targets(window: Any) -> dict[str, Callable[[], object]]:
    """The command behind every name of :mod:`irvane.desktop.actions`; `window` is the main one, with all its
    parts."""
    bench, proofs, judging = window.bench, window.proofs, window.judging
    return {
        "open": lambda: window.opening.open(ask_files(window), show=True),
        "open_folder": lambda: window.opening.open(ask_folder(window), show=True),
        "as_it_was": window.coming_back.open_last,
        "keep_bench": window.coming_back.ask_keep,
        "kept": window.coming_back.ask_open,
        "copy_card": lambda: _copy_card(window),
        "write": window.writing.write,
        "close_item": window.close_item,
        "preferences": lambda: _ask_preferences(window),
        "automatic": lambda: window.automatic.run(window.sheeting.several()),
        "decisions": window.automatic.show,
        "shot": lambda: _show_shot(window),
        "medium": window.appearance.choose_medium,
        "about": lambda: AboutDialog(window).open(),
        "report_fault": lambda: _copy_report(window),
        "quit": window.close,
        **window.sheeting.targets(),
        "merge": lambda: window.opening.merge(proofs.bracket()),
        "merge_how": window.merging.ask,
        "merge_hdr": lambda: window.merging.ask(HDR),
        "merge_fusion": lambda: window.merging.ask(FUSION),
        "merge_join": lambda: window.merging.ask(JOIN),
        "merge_mean": lambda: window.merging.ask(MEAN),
        "merge_panorama": lambda: window.merging.ask(PANORAMA),
        "copy_settings": proofs.copy_settings,
        "paste_settings": lambda: proofs.paste_settings(window.sheeting.selected_items()),
        "station_back": lambda: proofs.station_back(window.band.station),
        "together": window.merging.together,
        "apart": window.merging.apart,
        "plan": window.merging.plan,
        "undo": window.session.undo.undo,
        "redo": window.session.undo.redo,
        "previous_proof": lambda: proofs.step_proof(-1),
        "next_proof": lambda: proofs.step_proof(1),
        "new_proof": proofs.new_proof,
        "renew_proof": proofs.renew_proof,
        "rename_proof": proofs.rename_proof,
        "remove_proof": proofs.remove_proof,
        "bare": proofs.toggle_bare,
        "strip": window.toggle_test_strip,
        "preset_strip": lambda: window.open_test_strip(PRESETS),
        "copy_to": lambda: proofs.copy_to(window.sheeting.selected_items()),
        "presets": proofs.choose_preset,
        "suggest": proofs.suggest_light,
        "grey": lambda: proofs.pick_grey(not bench.views[0].picking),
        "reset": proofs.reset_proof,
        "queue_it": window.queueing.put,
        "queue": window.queueing.show,
        "destinations": window.queueing.choose,
        "settings_from": lambda: proofs.take_settings(ask_settings(window)),
        "frame_it": window.framing.toggle,
        "regions": window.regions.toggle,
        "region_switch": window.regions.switch,
        "turn_left": lambda: window.framing.turn(-1),
        "turn_right": lambda: window.framing.turn(1),
        "mirror": window.framing.mirror,
        "lens": window.lenses.choose,
        "pane": lambda: bench.choose(bench.panes.other),
        "arrange": bench.next_arrangement,
        "divide": lambda: bench.set_arrangement(BESIDE if bench.arrangement == DIVIDED else DIVIDED),
        "difference": lambda: bench.set_arrangement(
            BESIDE if bench.arrangement == DIFFERENCE else DIFFERENCE
        ),
        "more_panes": lambda: bench.change_count(1),
        "fewer_panes": lambda: bench.change_count(-1),
        "compare": window.compare_selected,
        "decide": window.decide_selected,
        "report": window.reporting.ask_report,
        "ladder": lambda: window.reporting.ask_ladder(_selected_paths(window)),
        "before": lambda: judging.leave_out(window.band.station or "noise"),
        "blink_timed": judging.blink_timed,
        "loupe": lambda: judging.set_loupe(not judging.loupe),
        "next_spot": lambda: judging.step_spot(1),
        "previous_spot": lambda: judging.step_spot(-1),
        "swap": lambda: bench.swap(),
        "match": lambda: bench.set_matching(not bench.panes.matching),
        "free": lambda: bench.zooming.set_free(not bench.panes.view.free),
        "align": lambda: judging.set_aligning(not bench.panes.view.aligning),
        "marks": lambda: bench.set_marks(not bench.panes.view.marks),
        "limits": judging.ask_limits,
        "monitor": window.appearance.choose_monitor,
        "next_look": lambda: bench.step_look(1),
        "previous_look": lambda: bench.step_look(-1),
        "deblur_waits": bench.looking.deblur_when_asked,
        "deblur_now": bench.looking.deblur_now,
        "plain_look": lambda: bench.set_look(PICTURE),
        "probe": bench.zooming.probe_to_centre,
        "actual": lambda: bench.set_zoom(1.0 if bench.viewport.zoom is None else None),
        "closer": lambda: bench.step_zoom(1),
        "farther": lambda: bench.step_zoom(-1),
        "surround": window.appearance.next_surround,
        "full": window.appearance.toggle_full,
        "demo": window.writing.make_demo,
        "path": lambda: window.path.setVisible(not window.path.isVisible()),
        "keys": lambda: KeysDialog(window).exec(),
    }  # type: ignore[return-value]


def _selected_paths(window: Any) -> list[Path]:
    """The files of what is selected on the sheet or in the rail."""
    numbers = window.sheeting.meant() if window.sheeting.on else window.rail.selected_items()
    return [path for n in numbers for path in window.session.items[n].source.paths]


def _ask_preferences(window: Any) -> None:
    def saved() -> None:
        window.appearance.use_surround(preferences().surround)
        window.queueing.destination_changed.emit(window.queueing.words())
        window.bench.refresh()
        window.say("Saved.")

    dialog = PreferencesDialog(window)
    dialog.changed.connect(saved)
    dialog.open()


def _copy_card(window: Any) -> None:
    dialog = CopyDialog(window)
    dialog.copied.connect(
        lambda paths: window.opening.open([p for p in paths if p.suffix.lower() in OPENABLE], show=True)
    )
    dialog.open()


def _copy_report(window: Any) -> None:
    QApplication.clipboard().setText(fault_report())
    window.say(
        "A report was copied: versions and the log, without paths, names and numbers. Read it before you "
        "pass it on."
    )


def _show_shot(window: Any) -> None:
    item = window.bench.item(window.bench.chosen)
    if item is not None:
        show_shot(item.path, item.info, window)
