"""Everything in a window that can be found."""

from __future__ import annotations

from functools import partial

from irvane.core.files.presets import list_presets, presets_folder
from irvane.core.finish.destination import destinations
from irvane.core.handbook import pages
from irvane.core.judge.rows import ROWS
from irvane.core.line.look_purposes import by_purpose
from irvane.core.settings import STATIONS, Choice, Method, names, spec
from irvane.desktop.commands import COMMANDS
from irvane.desktop.finder.search import Entry
from irvane.desktop.item import BARE
from irvane.desktop.line.rests import BARE_RESTS
from irvane.desktop.whole import Whole


def entries_of(window: Whole) -> list[Entry]:
    """All that can be found now."""
    return [
        *_commands(window), *_settings(window), *_looks(window), *_figures(window), *_pages(window),
        *_presets(window), *_destinations(window), *_frames(window),
    ]  # fmt: skip


def _commands(window: Whole) -> list[Entry]:
    actions = window.surface.commands
    return [
        Entry(
            "command", c.words.removesuffix(" …"), f"menu {c.menu.replace('/', ', ')}", c.help, c.keys,
            actions.by_name[c.name].trigger, actions.reason(c.name),
        )
        for c in COMMANDS if c.name != "find"
    ]  # fmt: skip


def _settings(window: Whole) -> list[Entry]:
    rests = BARE_RESTS if window.proofs.item() is not None and window.proofs.number == BARE else ""
    found = []
    for station in STATIONS:
        for path in names(station):
            one = spec(path)
            if isinstance(one, Method):
                continue
            options = ": " + ", ".join(w for _k, w in one.options) if isinstance(one, Choice) else ""
            where = f"station {station.capitalize()}, {one.group.label}"
            found.append(
                Entry("setting", one.label, where, one.help + options, str(STATIONS.index(station) + 1),
                      partial(window.surface.point_at, path), rests)
            )  # fmt: skip
    return found


def _looks(window: Whole) -> list[Entry]:
    return [
        Entry(
            "look", look.words, f"list Look, {purpose}", look.help, "K", partial(window.bench.set_look, key)
        )
        for purpose, looks in by_purpose().items()
        for key, look in looks.items()
    ]


def _figures(window: Whole) -> list[Entry]:
    return [
        Entry("figure", row.name, "table under the panes", row.means, "",
              partial(window.surface.show_page, "figures", row.name))
        for row in ROWS.values()
    ]  # fmt: skip


def _pages(window: Whole) -> list[Entry]:
    return [
        Entry(
            "handbook",
            page.title,
            "handbook, Shift+F1",
            page.text,
            "",
            partial(window.surface.show_page, page.key),
        )
        for page in pages()
    ]


def _presets(window: Whole) -> list[Entry]:
    found, _problems = list_presets(presets_folder())
    rests = BARE_RESTS if window.proofs.number == BARE else ""
    return [
        Entry("preset", one.name, "Presets, Shift+J", "", "", partial(window.proofs.apply, one), rests)
        for one in found
    ]


def _destinations(window: Whole) -> list[Entry]:
    return [
        Entry("destination", one.name, "Write, Destinations", one.words(), "",
              partial(window.queueing.use, one.name))
        for one in destinations()
    ]  # fmt: skip


def _frames(window: Whole) -> list[Entry]:
    return [
        Entry("frame", item.source.name, "rail and contact sheet", "", "",
              partial(window.rail.choose, item.number))
        for item in window.session.items.values()
    ]  # fmt: skip
