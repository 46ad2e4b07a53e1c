"""What the chosen region changes: settings moved on the shelf, set back, or taken from another proof."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any, Protocol

from PySide6.QtWidgets import QMenu, QWidget

from irvane.core.declaring import Choice, Number
from irvane.core.judge.inside import suggested_inside
from irvane.core.light.suggest import Suggestion
from irvane.core.line.context import suggested_light, white_of
from irvane.core.line.frame import Frame
from irvane.core.line.local import with_numbers
from irvane.core.regions.region import ALLOWED, LocalRegion
from irvane.core.settings import Settings, default, differences, spec, value_text
from irvane.desktop.proofs import Proofs


class Chosen(Protocol):
    """What is chosen: a region of a proof, or the whole frame."""

    proofs: Proofs
    window: QWidget

    @property
    def strip(self) -> QWidget: ...

    said: Any
    another: Any

    def settings(self) -> Settings | None: ...

    def region(self) -> LocalRegion | None: ...

    def replace_region(self, region: LocalRegion, text: str, gesture: str = "") -> None: ...

    def frame(self) -> Any: ...


class Changes:
    """The settings of the chosen region."""

    def __init__(self, regions: Chosen) -> None:
        self.regions = regions

    def edit(self, path: str, value: object) -> None:
        """A control was moved: in the chosen region, or in the whole frame."""
        region, settings = self.regions.region(), self.regions.settings()
        if region is None or settings is None:
            self.regions.proofs.edit(path, value)
            return
        if path not in ALLOWED:
            self.regions.said.emit(
                "This setting acts on the whole frame only; choose “the whole frame” above to change it."
            )
            self.regions.another.emit()
            return
        declared = spec(path)
        if isinstance(declared, Choice):
            change: Any = None if value == settings.get(path) else value
        else:
            assert isinstance(declared, Number)
            base = self._base(settings, path)
            change = None if value is None else round(float(value) - base, 6)  # type: ignore[arg-type]
        self.regions.replace_region(
            region.with_change(path, change), f"{path.split('.')[1]} in “{region.name}”", path
        )

    def take(self, values: dict[str, object]) -> bool:
        """Values that a button stands for, in the chosen region; False where the whole frame is chosen."""
        region, settings = self.regions.region(), self.regions.settings()
        if region is None or settings is None:
            return False
        made, left = region, []
        for path, value in values.items():
            if path not in ALLOWED:
                left.append(path)
            elif value is None or isinstance(spec(path), Choice):
                made = made.with_change(path, None if value == settings.get(path) else value)
            else:
                made = made.with_change(path, round(float(value) - self._base(settings, path), 6))  # type: ignore[arg-type]
        if made == region and left and len(left) == len(values):
            self.regions.said.emit(
                "This acts on the whole frame only; choose “the whole frame” above for it."
            )
        else:
            self.regions.replace_region(made, f"several changes in “{region.name}”")
        return True

    def suggestion(self, frame: Frame) -> Suggestion:
        """Light for the chosen region, or for the whole frame."""
        region = self.regions.region()
        own = None
        if region is not None:
            own = suggested_inside(region, frame.developed, frame.context, white_of(frame.developed))
        return suggested_light(frame.developed, frame.context) if own is None else own

    def _base(self, settings: Settings, path: str) -> float:
        frame = self.regions.frame()
        own = settings
        if frame is not None:
            probe = LocalRegion("", (), ((path, 1.0),))
            own = with_numbers(settings.with_regions([probe]), frame.developed, frame.context)
        now = own.get(path)
        declared = spec(path)
        assert isinstance(declared, Number)
        return float(declared.neutral if now is None else now)

    def set_back(self, path: str) -> None:
        """A setting as a new proof has it, or in a region as the frame has it."""
        region = self.regions.region()
        if region is None:
            self.regions.proofs.edit(path, default(path))
        else:
            self.regions.replace_region(
                region.with_change(path, None), f"{path.split('.')[1]} as the frame has it"
            )

    def set_back_all(self) -> None:
        region = self.regions.region()
        if region is not None:
            self.regions.replace_region(replace(region, changes=()), f"“{region.name}” set back")

    def paste(self) -> None:
        """The look of another proof of this frame in the chosen region."""
        item, settings, region = self.regions.proofs.item(), self.regions.settings(), self.regions.region()
        if item is None or settings is None or region is None:
            self.regions.said.emit("Choose a region first.")
            return
        menu = QMenu(self.regions.window)
        for number, proof in enumerate(item.sidecar.proofs):
            if number != self.regions.proofs.number:
                menu.addAction(proof.name, partial(self._take_look, proof.settings, proof.name))
        if menu.isEmpty():
            self.regions.said.emit("This frame has no other proof. N makes one.")
            return
        menu.popup(self.regions.strip.mapToGlobal(self.regions.strip.rect().topRight()))

    def _take_look(self, other: Settings, name: str) -> None:
        settings, region = self.regions.settings(), self.regions.region()
        if settings is None or region is None:
            return
        made = replace(region, changes=())
        for path in differences(settings, other):
            if path not in ALLOWED:
                continue
            declared = spec(path)
            if isinstance(declared, Choice):
                made = made.with_change(path, other.get(path))
            elif other.get(path) is not None:
                made = made.with_change(path, round(float(other.get(path)) - self._base(settings, path), 6))
        self.regions.replace_region(made, f"look of “{name}” in “{region.name}”")

    def seen_settings(self, settings: Settings) -> tuple[Settings, frozenset[str]]:
        """What the shelf shows: the frame's settings, or those of the chosen region, and which of them it
        changes."""
        region, frame = self.regions.region(), self.regions.frame()
        if region is None or region.damaged:
            return settings, frozenset()
        own = settings.with_regions([replace(region, on=True, opacity=1.0)])
        if frame is not None:
            own = with_numbers(own, frame.developed, frame.context)
        return own.in_region(region), frozenset(path for path, _ in region.changes)


def main_change(region: LocalRegion) -> str:
    """The exposure that a region adds, or its first change."""
    changes = dict(region.changes)
    if not changes:
        return ""
    path = "light.exposure" if "light.exposure" in changes else next(iter(changes))
    declared = spec(path)
    if isinstance(declared, Choice):
        return f" ({declared.label.lower()} {value_text(path, changes[path])})"
    assert isinstance(declared, Number)
    return f" ({declared.label.lower()} {changes[path]:+.{declared.decimals}f} {declared.unit})".replace(
        "-", "−"
    )
