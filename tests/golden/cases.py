"""What is developed: frames, settings and kinds of merge, by the names of the cases."""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from irvane.core.files.sidecar import read_proofs
from irvane.core.line.merge_options import MergeOptions
from irvane.core.line.merging import MergeSource
from irvane.core.line.source import FileSource, Source
from irvane.core.merge.kinds import FUSION, HDR, JOIN, MEAN, PANORAMA
from irvane.core.regions.region import LocalRegion, Part, Stroke
from irvane.core.settings import Settings

from .frames import FRAMES

LAMP, LEAVES, TURNED, PHOTO = ("lamp.dng",), ("leaves.dng",), ("turned.dng",), ("photo.jpg",)
HAND, STILL = (tuple(f"{kind}-{k}.dng" for k in (1, 2, 3)) for kind in ("hand", "still"))
ROW = ("row-1.dng", "row-2.dng")
#: Old forms of settings and sidecars, as they were written.
OLD = Path(__file__).parent / "old"


@dataclass(frozen=True)
class Case:
    """One proof of one source.

    Attributes
    ----------
    frames : names of the files; more than one are merged as `how` says.
    values : settings by their full names. regions : with changes of their own.
    old : file of OLD that the settings are read from.
    probes : middles of the places (shares of the output's width and height) that figures are read at.
    """

    frames: tuple[str, ...] = LAMP
    values: dict[str, Any] = field(default_factory=dict)
    regions: tuple[LocalRegion, ...] = ()
    how: MergeOptions = MergeOptions()
    old: str = ""
    probes: tuple[tuple[float, float], ...] = ()

    def source(self) -> Source:
        """What is developed."""
        paths = [FRAMES / name for name in self.frames]
        return FileSource(paths[0]) if len(paths) == 1 else MergeSource(paths, self.how)

    def settings(self) -> Settings:
        """Its settings."""
        base = Settings()
        if self.old:
            path = OLD / self.old
            data = json.loads(path.read_text("utf-8"))
            base = read_proofs(path).proofs[0].settings if "proofs" in data else Settings.from_dict(data)
        return base.with_values(self.values).with_regions(self.regions or base.regions)


def _region(
    kind: str, numbers: tuple[float, ...] = (), changes: dict[str, Any] | None = None, **how: Any
) -> LocalRegion:
    part = Part(kind, numbers, strokes=how.pop("strokes", ()))
    return LocalRegion(kind, (part,), tuple(sorted((changes or {"light.exposure": 1.0}).items())), **how)


_SPOTS = ((0.25, 0.3), (0.5, 0.55), (0.75, 0.7))
_STROKES = (
    Stroke((0.2, 0.3, 1.0, 0.5, 0.45, 0.8, 0.7, 0.6, 0.6), 0.2, 0.5, 0.9),
    Stroke((0.5, 0.45, 1.0, 0.6, 0.45, 1.0), 0.08, 0.2, 1.0, erases=True),
)
_LEFT, _ROUND = (0.2, 0.5, 0.7, 0.5), (0.5, 0.5, 0.3, 0.2, 20.0, 0.5)
_CURVE = "-3:-2.6,0:0.2,3:2.8"

CASES: dict[str, Case] = {
    "bayer": Case(probes=_SPOTS),
    "six": Case(LEAVES, probes=_SPOTS),
    "photo": Case(PHOTO, probes=_SPOTS),
    "turned": Case(TURNED, probes=_SPOTS),
    "bare": Case(
        values={
            "sensor.defects": "off",
            "sensor.banding": "off",
            "sensor.highlights": "clip",
            "lens.profile": "off",
            "lens.aberration": "off",
            "noise.amount": 0,
            "acutance.automatic": "off",
        },
        probes=_SPOTS,
    ),
    "bare-six": Case(LEAVES, {"noise.amount": 0, "acutance.automatic": "off"}, probes=_SPOTS),
    # sensor
    "linear": Case(
        values={"sensor.demosaic": "linear", "sensor.false_colour": 60, "sensor.false_colour_width": 8}
    ),
    "directional": Case(LEAVES, {"sensor.demosaic": "directional", "noise.method": "fast"}),
    "lines": Case(
        values={
            "sensor.banding": "both",
            "sensor.banding_width": 40,
            "sensor.highlights": "clip",
            "noise.amount": 0,
        }
    ),
    "first-methods": Case(
        values={
            "sensor.banding_by": "lines@1",
            "sensor.colour_by": "refined@1",
            "noise.removed_by": "removal@1",
            "acutance.sharpened_by": "bands@1",
            "acutance.deblurred_by": "sparse@1",
            "acutance.fine": 60,
        }
    ),
    "first-methods-six": Case(
        LEAVES,
        {"sensor.banding_by": "lines@1", "sensor.colour_by": "refined@1", "noise.removed_by": "removal@1"},
    ),
    "second-removal": Case(values={"noise.removed_by": "removal@2"}, probes=_SPOTS),
    "second-removal-six": Case(LEAVES, {"noise.removed_by": "removal@2"}, probes=_SPOTS),
    # lens
    "crop": Case(values={"lens.crop": "20,15,55,60"}, probes=_SPOTS),
    "turn": Case(values={"lens.turn": "90", "lens.mirror": "on"}),
    "straighten": Case(
        values={"lens.straighten": 2.5, "lens.distortion": 4, "lens.vignetting": 1.0}, probes=_SPOTS
    ),
    "upright": Case(
        LEAVES, {"lens.vertical": 8, "lens.horizontal": -5, "lens.edges": "keep", "lens.focal": 35}
    ),
    "rims": Case(LEAVES, {"lens.fringing": 60, "lens.aberration": "measured", "lens.falloff": "frame"}),
    # noise
    "fast": Case(
        values={
            "noise.method": "fast",
            "noise.amount": 150,
            "noise.luminance": 60,
            "noise.colour": 80,
            "noise.texture": 40,
        },
        probes=_SPOTS,
    ),
    "spread": Case(
        values={
            "noise.shadows": 40,
            "noise.midtones": 70,
            "noise.highlights": 20,
            "noise.fine": 60,
            "noise.medium": 50,
            "noise.coarse": 90,
            "noise.red": 80,
            "noise.green": 60,
            "noise.blue": 40,
        }
    ),
    "grain": Case(TURNED, {"noise.clear_black": 70, "noise.grain": 50, "noise.grain_size": 2}),
    # light
    "exposure": Case(
        values={"light.exposure": 2, "light.contrast": 30, "light.black": 0.8, "light.white": 1},
        probes=_SPOTS,
    ),
    "range": Case(
        values={"light.shadows": 2, "light.midtones": 0.4, "light.highlights": -1.5, "light.roll_off": 2}
    ),
    "local": Case(LEAVES, {"light.local_small": 60, "light.local_large": -40}),
    "curves": Case(
        values={
            "light.curve": _CURVE,
            "light.curve_red": "-2:-1.8,2:2.1",
            "light.curve_green": "0:0.05",
            "light.curve_blue": "-2:-2.2",
        }
    ),
    "photographic": Case(
        HAND, {"light.tone_map": "photographic", "light.tone_strength": 80, "light.tone_key": 0.5}
    ),
    "operator": Case(LEAVES, {"light.tone_map": "local", "light.black": 0.5, "light.tone_strength": 70}),
    # colour
    "white": Case(values={"colour.light": "tungsten", "colour.tint": 12}),
    "kelvin": Case(LEAVES, {"colour.temperature": 7200, "colour.saturation": 140, "colour.pale": 30}),
    "hues": Case(
        values={
            "colour.reds": 40,
            "colour.yellows": -30,
            "colour.greens": 50,
            "colour.cyans": -60,
            "colour.blues": 70,
            "colour.purples": -100,
        }
    ),
    # acutance
    "sharpened": Case(
        values={
            "acutance.automatic": "on",
            "acutance.medium": 60,
            "acutance.coarse": 40,
            "acutance.noise_floor": 1,
            "acutance.overshoot": 30,
            "acutance.texture_guard": 20,
        },
        probes=_SPOTS,
    ),
    "soft": Case(LEAVES, {"acutance.deblur": "lens", "acutance.radius": 1.1, "acutance.corners": 1.8}),
    "defocus": Case(
        values={
            "acutance.deblur": "defocus",
            "acutance.radius": 2.5,
            "acutance.blades": 6,
            "acutance.method": "fast",
        }
    ),
    "moved": Case(
        values={
            "acutance.deblur": "motion",
            "acutance.length": 7,
            "acutance.angle": 30,
            "acutance.deblur_strength": 120,
        }
    ),
    "path": Case(
        values={"acutance.deblur": "motion", "acutance.path": "-4:-3,0:0,5:2", "acutance.roll": 0.4}
    ),
    "photo-deblurred": Case(
        PHOTO, {"noise.amount": 80, "acutance.deblur": "lens", "acutance.radius": 0.9, "light.exposure": 0.4}
    ),
    # finish
    "space": Case(values={"finish.space": "prophoto"}),
    "twice": Case(PHOTO, {"finish.enlarge": "2"}),
    "lanczos": Case(values={"finish.enlarge": "1.5", "finish.enlarge_by": "lanczos", "finish.space": "p3"}),
    # regions
    "gradients": Case(
        values={"lens.straighten": 1.5},
        regions=(
            _region("linear", _LEFT, {"light.exposure": 1.5, "noise.amount": -60}),
            _region(
                "round", _ROUND, {"light.shadows": 1.0, "colour.saturation": -60}, inverted=True, opacity=0.7
            ),
        ),
    ),
    "brush": Case(
        regions=(
            _region("brush", (), {"light.contrast": 50, "acutance.fine": 80}, strokes=_STROKES, feather=1.0),
        )
    ),
    "tones": Case(
        LEAVES,
        regions=(
            _region("tone", (-3.0, 0.0, 1.0)),
            _region("hue", (120.0, 60.0, 20.0), {"colour.greens": 60}),
        ),
    ),
    "places": Case(
        values={"lens.crop": "10,10,80,80"},
        regions=(
            _region("spot", (0.5, 0.4, 0.2, 1.0)),
            _region("focus", (1.0, 0.5), {"light.local_small": 40}, grow=1.0),
        ),
    ),
    "subject": Case(PHOTO, regions=(_region("subject", (), {"light.exposure": -1.0}),)),
    # sets
    "hdr-hand": Case(HAND, probes=_SPOTS),
    "hdr-still": Case(STILL, {"light.tone_map": "local", "light.black": 0.5}),
    "fusion": Case(HAND, how=MergeOptions(FUSION)),
    "join": Case(STILL, how=MergeOptions(JOIN)),
    "mean": Case(STILL, how=MergeOptions(MEAN, aligns=False)),
    "no-ghosts": Case(HAND, how=MergeOptions(HDR, ghosts=0, reference="hand-1.dng")),
    "panorama": Case(ROW, how=MergeOptions(PANORAMA)),
    # what earlier versions wrote
    **{
        f"old-{name}": Case(old=f"{name}.json")
        for name in ("settings-0", "settings-1", "settings-2", "settings-3", "sidecar-1", "sidecar-2")
    },
}
