"""A developed frame, what is known of it, and what stands in for it while something better is made."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from irvane.core.line.camera import covers, part_of, source_of
from irvane.core.line.context import Context, geometry_for
from irvane.core.line.develop import Developed
from irvane.core.line.tasks import Plan, plan_for, wished_removal
from irvane.core.noise.denoise import FAST, Removal
from irvane.core.noise.dynamic_range import dynamic_range
from irvane.core.pixels.geometry import Geometry
from irvane.core.pixels.patches import FramePatch
from irvane.core.pixels.picture import Picture, tiles_of
from irvane.core.pixels.places import FrameRegion, OutputRegion
from irvane.core.sensor.exposure import SensorExposure
from irvane.core.settings import Settings

#: What a picture is: of the binned mosaic; denoising (or the refining of colour) pending; denoised for now;
#: done.
COARSE, NOISY, ROUGH, FINAL = "coarse", "noisy", "rough", "final"
#: The picture itself, while the mosaic that is asked for is read again.
INSTEAD = "instead"

#: How a part was denoised, and the region that it was made for, with the margin that views need.
PartKey = tuple[Removal, FrameRegion]


@dataclass
class Frame:
    """A developed frame and its facts.

    Attributes
    ----------
    coarse : True while it is only the binned form of the mosaic.
    wholes : denoised pictures of the whole frame, by how they were made: proofs that differ in it stand side
        by side.
    patches : denoised pixels of the regions that panes show, likewise; made fast they stand in for the best.
    reduced : reduced views that were denoised by themselves, likewise.
    exposure : the mosaic's values by stops; None for other entries and while the frame is coarse.
    even_place : where its noise can be read best (shares of width and height); None where that is not known.
    seen : tiles of the plain picture that were refined already, because they were looked at.
    """

    developed: Developed
    context: Context
    coarse: bool
    wholes: dict[Removal, Picture] = field(default_factory=dict)
    patches: dict[PartKey, FramePatch] = field(default_factory=dict)
    reduced: dict[PartKey, FramePatch] = field(default_factory=dict)
    exposure: SensorExposure | None = None
    even_place: tuple[float, float] | None = None
    seen: set[tuple[int, int]] = field(default_factory=set)

    def dynamic_range(self, condition: str) -> float | None:
        """Stops under a condition (of :mod:`irvane.core.noise.dynamic_range`); None where there is no
        mosaic."""
        noise = self.developed.noise
        if noise is None or self.developed.cfa is None:
            return None
        h, w = self.developed.extent
        return dynamic_range(noise, h * w, condition)

    def removal(self, settings: Settings) -> Removal:
        """How the denoiser has to run for a proof."""
        return wished_removal(self.developed, settings, self.context)

    def plan(self, settings: Settings, both: bool = True) -> Plan:
        """What is still to be made for a proof, its plain picture included; of a coarse frame all but the
        plain form."""
        found = plan_for(self.developed, settings, self.context, both)
        if self.coarse:
            return Plan(False, False, self.removal(settings))
        return replace(found, removal=Removal()) if found.removal in self.wholes else found

    def denoised_for(self, settings: Settings) -> bool:
        """Is the whole denoised picture there (or none needed)?"""
        return not self.plan(settings).removal.strength

    def complete_for(self, settings: Settings) -> bool:
        """Is everything there that the proof's whole picture is made of?"""
        return self.plan(settings).done

    def to_be_measured(self, settings: Settings) -> bool:
        """Will errors of the lens still be measured in it that these settings correct?"""
        return self.plan(settings).measures_lens

    def geometry(self, settings: Settings) -> Geometry:
        """Where its pixels lie in the output of a proof."""
        return geometry_for(settings, self.context)

    def to_be_refined(self, settings: Settings) -> bool:
        """Will the plain picture still be replaced by a better one?"""
        return self.plan(settings).refines

    def part(self, settings: Settings, region: OutputRegion) -> FrameRegion:
        """The part of it that a region of a proof's output is made from: at 1:1 with room for any
        settings."""
        return (part_of if region.step <= 1 else source_of)(settings, self.context, region)

    def behind(self, settings: Settings, region: OutputRegion) -> FrameRegion:
        """The part of it that a region of a proof's output shows, without anything around it."""
        return self.geometry(settings).frame_box(region)

    def refined_at(self, settings: Settings, region: OutputRegion) -> bool:
        """Are the pixels behind a region of the output refined already, the whole picture not being it?"""
        return set(tiles_of(self.part(settings, region))) <= self.seen

    def clean(self, settings: Settings, region: OutputRegion) -> FramePatch | None:
        """Locally denoised pixels that stand in for a region of the output, if they are there."""
        if region.step > 1:
            return None
        removal, outer = self.removal(settings), self.part(settings, region)
        # copies here and below: the worker may change them meanwhile
        made = [
            patch for (r, _), patch in list(self.patches.items()) if r == removal and covers(patch, outer)
        ]
        return made[-1] if made else None

    def stand_in(self, settings: Settings, region: OutputRegion) -> tuple[FramePatch | None, str]:
        """Denoised pixels of a region for the time that the whole is not there, and what a picture of them
        is."""
        if self.coarse:
            return None, COARSE
        clean = self.clean(settings, region)
        if clean is None and not self.denoised_for(settings):
            rough = self.rough(settings, region) or self.otherwise(settings, region)
            return rough, NOISY if rough is None else ROUGH
        return clean, NOISY if self.to_be_refined(settings) else FINAL

    @property
    def lacks_mosaic(self) -> bool:
        """Was its mosaic given up?"""
        return self.developed.cfa is not None and self.developed.mosaic is None

    def rough(self, settings: Settings, region: OutputRegion) -> FramePatch | None:
        """Pixels denoised in a fast way, for the time until those are there that the settings ask for."""
        if region.step <= 1:
            return self.clean(settings.with_value("noise.method", FAST), region)
        return self.reduced_for(settings, region)

    def reduced_for(self, settings: Settings, region: OutputRegion) -> FramePatch | None:
        """A reduced view that was denoised by itself, if it is there."""
        return self.reduced.get((self.removal(settings), self.part(settings, region)))

    def otherwise(self, settings: Settings, region: OutputRegion) -> FramePatch | None:
        """Pixels whose noise was removed a little more or less, so that noise does not flash up."""
        wished, outer = self.removal(settings).strength, self.part(settings, region)
        found: list[tuple[Removal, Picture | FramePatch]] = list(self.wholes.items())
        if region.step > 1:
            found += [(r, patch) for (r, place), patch in list(self.reduced.items()) if place == outer]
        else:
            found += [(r, patch) for (r, _), patch in list(self.patches.items()) if covers(patch, outer)]
        if not found:
            return None
        _, nearest = min(found, key=lambda made: abs(made[0].strength - wished))
        return nearest if isinstance(nearest, FramePatch) else nearest.read(outer)

    def faster(self, settings: Settings, region: OutputRegion) -> bool:
        """Can a region be denoised in a faster way than the settings ask for?"""
        if region.step <= 1:
            return self.removal(settings).kind != FAST
        return self.developed.noise is not None and self.developed.cfa is not None

    def fitting(self, settings: Settings) -> Frame:
        """The same frame with the denoised picture that these settings ask for, or with none while it is not
        there."""
        developed, wished = self.developed, self.removal(settings)
        if not developed.can_be_denoised and not self.wholes:
            return self
        whole = self.wholes.get(wished)
        if whole is None and (developed.denoised is None or developed.removal == wished):
            return self
        made = replace(developed, denoised=whole, removal=wished if whole else Removal())
        return replace(self, developed=made)

    @property
    def nbytes(self) -> int:
        """Memory that its pictures occupy."""
        return self.developed.nbytes + sum(whole.nbytes for whole in self.wholes.values())
