"""Reports to keep: pictures, figures, plots and settings in one HTML file, and the figures as CSV and JSON."""

from __future__ import annotations

import base64
import csv
import io
import json
from collections.abc import Sequence
from dataclasses import dataclass, field
from importlib.resources import files
from pathlib import Path
from typing import Any

import cv2
import jinja2
import numpy as np

from irvane import __version__
from irvane.core.files.atomic import atomic_file, make_folder
from irvane.core.files.info import exposure_text
from irvane.core.image import GREEN
from irvane.core.judge.chartlines import Line, svg_chart
from irvane.core.judge.comparing import Compared, around, crop
from irvane.core.judge.ladder import CameraLadder, Rung
from irvane.core.judge.transfer import fit
from irvane.core.judge.usable import USUAL_LIMIT, compare, differs_from, verdict
from irvane.core.line.picture import Region
from irvane.core.settings import Settings, differences, full_label, value_text

#: Side of a crop in picture pixels at 100 %; at 200 % half of it.
_CROP, _PER_ROW = 340, 3
#: A picture with more than this times the least noise is no reference for texture: its noise would count as such.
_CLEAN = 3.0
NAMES = {"html": "report.html", "csv": "figures.csv", "json": "figures.json"}


@dataclass(frozen=True)
class Table:
    """A table of a report."""

    head: list[str]
    rows: list[list[str]]


@dataclass(frozen=True)
class Crop:
    """A picture of a report: PNG as a data address, and words under it."""

    source: str
    words: str


@dataclass(frozen=True)
class Section:
    """A part of a report; `crops` are rows of pictures side by side."""

    title: str
    note: str = ""
    tables: list[Table] = field(default_factory=list)
    plots: list[str] = field(default_factory=list)
    crops: list[list[Crop]] = field(default_factory=list)


@dataclass(frozen=True)
class Report:
    """A whole report.

    Attributes
    ----------
    figures : everything that was measured, JSON-ready.
    rows : the same as a flat table, with its head first.
    """

    title: str
    summary: list[str]
    sections: list[Section]
    figures: dict[str, Any]
    rows: list[list[str]]

    def html(self) -> str:
        """The report as one self-contained page."""
        text = files("irvane.core.judge").joinpath("report.html").read_text("utf-8")
        template = jinja2.Environment(autoescape=True).from_string(text)
        foot = f"Made by Irvane {__version__}. Figures are read from full-resolution pixels in linear light unless they say otherwise."
        return template.render(title=self.title, summary=self.summary, sections=self.sections, foot=foot)

    def csv(self) -> str:
        """The figures as comma-separated values."""
        stream = io.StringIO()
        csv.writer(stream).writerows(self.rows)
        return stream.getvalue()

    def write(self, folder: Path) -> list[Path]:
        """Write page, CSV and JSON into a folder, replacing a former report there.

        Raises
        ------
        WriteError
        """
        make_folder(folder)
        texts = {
            "html": self.html(),
            "csv": self.csv(),
            "json": json.dumps(self.figures, indent=1, ensure_ascii=False),
        }
        written = []
        for kind, text in texts.items():
            with atomic_file(folder / NAMES[kind]) as temporary:
                temporary.write_text(text, "utf-8")
            written.append(folder / NAMES[kind])
        return written


def png_address(pixels: np.ndarray) -> str:
    """Pixels (uint8 H×W×3, sRGB) as a data address."""
    coded = cv2.imencode(".png", np.ascontiguousarray(pixels[..., ::-1]))[1]
    return "data:image/png;base64," + base64.b64encode(coded.tobytes()).decode("ascii")


def _text(value: float | None, form: str = "{:.2f}", unit: str = "") -> str:
    return "–" if value is None else (form.format(value) + unit).replace("-", "−")


def settings_text(settings: Settings) -> str:
    """How settings differ from those of a new proof."""
    found = [p for p in differences(settings, Settings()) if not p.startswith("finish.")]
    return (
        ", ".join(f"{full_label(p)} {value_text(p, settings.get(p))}" for p in found)
        or "untouched: automatic only"
    )


def comparison_report(compared: Compared, zooms: Sequence[int] = (1, 2)) -> Report:
    """The report of a comparison."""
    names = [f"{chr(65 + k)} {entry.name}" for k, entry in enumerate(compared.entries)]
    sections = [_pictures(compared, names), _wholes(compared, names)]
    rows = [["spot", "picture", "figure", "value"]]
    for spot, row in zip(compared.spots, compared.at, strict=True):
        sections.append(_spot_section(compared, names, spot.kind, (spot.x, spot.y), row, zooms))
        for name, found in zip(names, row, strict=True):
            rows += [[spot.kind, name, key, str(value)] for key, value in found.as_dict().items()]
    figures = {
        "pictures": [
            {
                "name": entry.name, "domain": entry.domain, "exposure": exposure_text(entry.info),
                "settings": settings_text(entry.settings), "offset_ev": compared.offsets[k],
                "rotation_deg": compared.mappings[k].rotation, "scale": compared.mappings[k].scale,
                "common_field": compared.mappings[k].common, "alignment_residual_px": compared.mappings[k].residual,
                "sensor_clipped": compared.whole[k].sensor_clipped, "at_white": compared.whole[k].white,
                "at_black": compared.whole[k].black, "shadow_cast_ev": compared.whole[k].cast,
                "dynamic_range_stops": compared.ranges[k],
                "difference": None if compared.differences[k] is None else vars(compared.differences[k]),
            }
            for k, entry in enumerate(compared.entries)
        ],
        "spots": [
            {"kind": spot.kind, "x": spot.x, "y": spot.y, "figures": [found.as_dict() for found in row]}
            for spot, row in zip(compared.spots, compared.at, strict=True)
        ],
    }  # fmt: skip
    return Report(
        "Comparison: " + ", ".join(e.name for e in compared.entries),
        _summary(compared, names),
        sections,
        figures,
        rows,
    )


def _summary(compared: Compared, names: list[str]) -> list[str]:
    found = []
    clean = True
    for kind, row in sorted(
        zip((s.kind for s in compared.spots), compared.at, strict=True), key=lambda p: p[0] != "smooth"
    ):
        if kind == "smooth" and len(row) > 1:
            sigmas = [figures.probe.sigma_luminance for figures in row]
            best = int(np.argmin(sigmas))
            ratio = max(sigmas) / max(sigmas[best], 1e-9)
            clean = sigmas[0] < _CLEAN * max(sigmas[best], 1e-9)
            found.append(
                f"Least noise in even places: {names[best]}, {ratio:.1f} times less than the noisiest."
            )
        if kind == "texture" and len(row) > 1 and not clean:
            found.append(
                f"Texture kept is not judged: {names[0]} is too noisy to be what others are held against."
            )
        elif kind == "texture" and len(row) > 1:
            kept = [figures.kept or 0.0 for figures in row]
            least = int(np.argmin(kept))
            found.append(f"Texture kept against {names[0]}: least {kept[least]:.0%} in {names[least]}.")
    return found


def _pictures(compared: Compared, names: list[str]) -> Section:
    rows = []
    for k, entry in enumerate(compared.entries):
        mapping = compared.mappings[k]
        h, w = entry.developed.extent
        lies = "the first" if k == 0 else (
            "as the first" if mapping.plain else
            f"{mapping.rotation:+.2f}°, ×{mapping.scale:.3f}, field {mapping.common:.0%}"
            + (f", residual {mapping.residual:.1f} px" if mapping.residual is not None else "")
            if mapping.found else "not aligned: laid corner on corner"
        )  # fmt: skip
        rows.append([names[k], f"{w} × {h}", f"{entry.size / 1e6:.1f} MB", exposure_text(entry.info),
                     settings_text(entry.settings), _text(compared.offsets[k], "{:+.2f}", " EV"), lies])  # fmt: skip
    head = ["picture", "pixels", "file", "exposure", "settings", "brightness matched by", "lies"]
    return Section("What is compared", tables=[Table(head, rows)])


def _wholes(compared: Compared, names: list[str]) -> Section:
    head = ["picture", "clipped on the sensor", "at white", "at black", "shadows red, blue", "range at SNR 10", "at SNR 3", "at SNR 1",
            "at SNR 1, 8 MP", "PSNR", "SSIM", "ΔE2000"]  # fmt: skip
    rows = []
    for k, whole in enumerate(compared.whole):
        ranges, difference = compared.ranges[k], compared.differences[k]
        stops = [_text(ranges.get(f"snr_{r}", {}).get("per_pixel"), "{:.1f}", " EV") for r in (10, 3, 1)]
        stops.append(_text(ranges.get("snr_1", {}).get("at_8_mp"), "{:.1f}", " EV"))
        apart = ["–"] * 3 if difference is None else [
            "equal" if difference.psnr is None else f"{difference.psnr:.1f} dB",
            f"{difference.ssim:.4f}", f"{difference.delta_e:.2f}",
        ]  # fmt: skip
        rows.append(
            [
                names[k],
                f"{whole.sensor_clipped:.2%}",
                f"{whole.white:.2%}",
                f"{whole.black:.2%}",
                "–" if whole.cast is None else "{:+.2f}, {:+.2f} EV".format(*whole.cast),
                *stops,
                *apart,
            ]
        )
    note = (
        "Range: stops between clipping and the signal at which the SNR falls to a limit, from the mosaic's noise (worst "
        "colour). Differences are against the first picture, at equal brightness, both reduced to a common size."
    )
    return Section("Whole pictures", note, [Table(head, rows)])


def _spot_section(
    compared: Compared, names: list[str], kind: str, place: tuple[float, float], row: Sequence[Any], zooms: Sequence[int]
) -> Section:  # fmt: skip
    head = [
        "picture",
        "σ luminance",
        "σ colour",
        "SNR",
        "level",
        "grain",
        "texture kept",
        "MTF50",
        "overshoot",
    ]
    rows = [
        [names[k], f"{f.probe.sigma_luminance:.3%}", f"{f.probe.sigma_colour:.3%}", _text(f.probe.snr_db, "{:.1f}", " dB"),
         _text(f.probe.level_ev, "{:+.1f}", " EV"), f.grain or "–", _text(f.kept, "{:.0%}"),
         _text(f.mtf50, "{:.3f}", " c/px"), _text(f.overshoot, "{:.1%}")]
        for k, f in enumerate(row)
    ]  # fmt: skip
    crops: list[list[Crop]] = []
    for zoom in zooms:
        region = around(*place, _CROP // zoom, compared.entries[0].developed.extent)
        line: list[Crop] = []
        for k, entry in enumerate(compared.entries):
            if k % _PER_ROW == 0:
                line = []
                crops.append(line)
            there: Region = compared.mappings[k].region(region)
            pixels = crop(entry, there, compared.offsets[k], zoom)
            line.append(Crop(png_address(pixels), f"{names[k]}, {zoom * 100} %"))
    note = f"At {place[0]:.0%} of the width and {place[1]:.0%} of the height; crops are brought to equal brightness."
    return Section(kind.capitalize(), note, [Table(head, rows)], crops=crops)


def ladder_report(ladders: Sequence[CameraLadder], limit: float = USUAL_LIMIT) -> Report:
    """The report of a ladder of one or several cameras at an SNR limit in dB."""
    sections, summary, cameras = [], [], []
    rows = [["camera", "file", "stop", "patch", "snr_red_db", "snr_green_db", "snr_blue_db", "clipped"]]
    for ladder in ladders:
        found = verdict(ladder, limit)
        above = "no over-exposed frame" if found.above is None else f"{found.above:.1f} stops above"
        least = "at least " if found.ends else ""
        summary.append(
            f"{ladder.name}: usable {least}{found.usable:.1f} stops around the metered exposure ({above}, {least}"
            f"{found.below:.1f} below) at SNR {limit:g} dB."
        )
        cameras.append(_ladder_facts(ladder, limit))
        for rung in ladder.rungs:
            rows += [
                [
                    ladder.name,
                    rung.path.name,
                    f"{rung.stop:.3f}",
                    str(k),
                    *(f"{v:.2f}" for v in snr),
                    str(bool(clipped)),
                ]
                for k, (snr, clipped) in enumerate(zip(rung.snr, rung.clipped, strict=True))
            ]
    lines = [Line(lad.name, [r.stop for r in lad.rungs], [r.mean_snr for r in lad.rungs]) for lad in ladders]
    plots = [svg_chart(lines, "exposure, stops", "mean SNR of the patches, dB", level=limit)]
    cast = [Line(lad.name, [r.stop for r in lad.rungs], [r.cast for r in lad.rungs]) for lad in ladders]
    plots.append(svg_chart(cast, "exposure, stops", "colour cast, EV"))
    tables = [_rung_table(ladder) for ladder in ladders]
    note = "Green of the mosaic, bare; every frame brought to equal brightness by its own gain. The broken line is the limit."
    sections.append(Section("Noise over exposure", note, tables, plots))
    seen = "The same place of every frame, bare, brought to equal brightness by its own gain."
    sections.append(Section("What it looks like", seen, crops=_crop_rows(ladders)))
    figures: dict[str, Any] = {"limit_db": limit, "cameras": cameras}
    if len(ladders) > 1:
        sections.append(_versus(ladders, summary, figures))
    return Report("Ladder: " + ", ".join(lad.name for lad in ladders), summary, sections, figures, rows)


def _rung_table(ladder: CameraLadder) -> Table:
    rows = [
        [rung.path.name, f"{rung.stop:+.2f}", f"{rung.mean_snr:.1f}", *(f"{v:.1f}" for v in _snr_by_colour(rung)),
         "–" if rung.snr_denoised is None else f"{rung.snr_denoised.mean():.1f}", f"{rung.cast:+.3f}",
         f"{rung.error.mean():.2f} / {rung.error.max():.2f}", f"{int(rung.clipped.sum())} of {len(rung.clipped)}"]
        for rung in ladder.rungs
    ]  # fmt: skip
    head = [
        ladder.name,
        "stop",
        "SNR dB",
        "red",
        "green",
        "blue",
        "denoised",
        "cast EV",
        "ΔE2000 mean / largest",
        "clipped",
    ]
    return Table(head, [[row[0], *(cell.replace("-", "−") for cell in row[1:])] for row in rows])


def _snr_by_colour(rung: Rung) -> np.ndarray:
    """Mean SNR in dB of red, green, blue over the patches that are not clipped."""
    whole = ~rung.clipped if (~rung.clipped).any() else np.ones(len(rung.clipped), bool)
    return np.asarray(rung.snr[whole].mean(axis=0))


def _crop_rows(ladders: Sequence[CameraLadder]) -> list[list[Crop]]:
    """The same crop of every frame at equal brightness: stops down, cameras across."""
    stops = sorted({round(rung.stated) for ladder in ladders for rung in ladder.rungs}, reverse=True)
    rows = []
    for stop in stops:
        row = []
        for ladder in ladders:
            rung = min(ladder.rungs, key=lambda r: abs(r.stated - stop))
            if abs(rung.stated - stop) < 0.5:
                words = f"{ladder.name}, {rung.stop:+.1f} EV, {rung.mean_snr:.1f} dB".replace("-", "−")
                row.append(Crop(png_address(rung.crop), words))
        rows.append(row)
    return rows


def _ladder_facts(ladder: CameraLadder, limit: float) -> dict[str, Any]:
    found = verdict(ladder, limit)
    transfer: dict[str, Any] = {}
    for c, name in enumerate(("red", "green", "blue")):
        try:
            transfer[name] = fit(
                [p for rung in ladder.rungs for p in rung.points[c]], ladder.counts
            ).as_dict()
        except ValueError as error:
            transfer[name] = str(error)
    return {
        "camera": ladder.name, "patches": len(ladder.patches),
        "verdict": {"above": found.above, "below": found.below, "usable": found.usable, "at_least": found.ends},
        "photon_transfer": transfer,
        "rungs": [
            {"file": str(r.path), "stop": r.stop, "stated": r.stated, "snr_db": r.mean_snr, "cast_ev": r.cast,
             "snr_denoised_db": None if r.snr_denoised is None else float(r.snr_denoised.mean()),
             "snr_green_db": r.snr[:, GREEN].tolist(), "clipped": int(r.clipped.sum()),
             "delta_e": float(r.error.mean())}
            for r in ladder.rungs
        ],
    }  # fmt: skip


def _versus(ladders: Sequence[CameraLadder], summary: list[str], figures: dict[str, Any]) -> Section:
    first, second = ladders[0], ladders[1]
    found = compare(first, second)
    start = differs_from(found)
    summary.append(
        f"{first.name} and {second.name} differ from {start:+.0f} EV on.".replace("-", "−")
        if start is not None
        else f"{first.name} and {second.name} do not differ by more than 1 dB for good."
    )
    figures["differ_from"] = start
    figures["comparison"] = [vars(one) for one in found]
    head = ["stop", "difference dB", "95 % interval", "differs"]
    rows = [
        [
            f"{c.stop:+.0f}",
            f"{c.difference:+.2f}",
            f"{c.low:+.2f} … {c.high:+.2f}",
            "yes" if c.differs else "no",
        ]
        for c in found
    ]
    lines = [Line("difference", [c.stop for c in found], [c.difference for c in found])]
    lines += [
        Line(name, [c.stop for c in found], [getattr(c, key) for c in found])
        for key, name in (("low", "95 % from"), ("high", "95 % to"))
    ]
    note = f"{first.name} minus {second.name}, mean over the patches that both hold unclipped; interval by bootstrap over patches."
    tables = [Table(head, [[cell.replace("-", "−") for cell in row] for row in rows])]
    return Section(
        "From where the cameras differ",
        note,
        tables,
        [svg_chart(lines, "exposure, stops", "difference of SNR, dB", level=1.0)],
    )
