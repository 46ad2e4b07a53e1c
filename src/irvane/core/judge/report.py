"""Reports to keep: pictures, figures, plots and settings in one HTML file, and the figures as CSV and
JSON."""

from __future__ import annotations

import base64
import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass, field
from importlib.resources import files
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from irvane import __version__
from irvane.core.files.info import exposure_text
from irvane.core.judge.comparing import Compared, around, crop
from irvane.core.judge.readings import SideBySide
from irvane.core.settings import Settings, differences, full_label, value_text
from irvane.core.store.atomic import atomic_file, make_folder
from irvane.core.store.json_text import json_text

#: Side of a crop in picture pixels at 100 %; at 200 % half of it.
_CROP, _PER_ROW = 340, 3
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
        import jinja2

        text = files("irvane.core.judge").joinpath("report.html").read_text("utf-8")
        template = jinja2.Environment(autoescape=True).from_string(text)
        foot = (
            f"Made by Irvane {__version__}. Figures are read from full-resolution pixels in linear light "
            "unless they say otherwise."
        )
        return template.render(title=self.title, summary=self.summary, sections=self.sections, foot=foot)

    def csv(self) -> str:
        """The figures as comma-separated values."""
        stream = io.StringIO()
        csv.writer(stream).writerows([_cell(cell) for cell in row] for row in self.rows)
        return stream.getvalue()

    def write(self, folder: Path) -> list[Path]:
        """Write page, CSV and JSON into a folder; beside a former report there, under a number.

        Raises
        ------
        WriteError
        """
        make_folder(folder)
        texts = {
            "html": self.html(),
            "csv": self.csv(),
            "json": json_text(self.figures),
        }
        names = free_names(folder)
        written = []
        for kind, text in texts.items():
            with atomic_file(folder / names[kind], overwrite=False) as temporary:
                temporary.write_text(text, "utf-8", errors="replace")
            written.append(folder / names[kind])
        return written


def free_names(folder: Path) -> dict[str, str]:
    """Names of a report's files, by kind, of which none is taken in a folder: ``report.html``, then
    ``report-2.html``, …"""
    number = 1
    while True:
        end = f"-{number}" if number > 1 else ""
        names = {kind: f"{Path(n).stem}{end}{Path(n).suffix}" for kind, n in NAMES.items()}
        if not any((folder / name).exists() for name in (*names.values(), f"report{end}.pdf")):
            return names
        number += 1


def _cell(value: object) -> object:
    """A cell that no spreadsheet takes for a formula."""
    text = str(value)
    if not text.startswith(("=", "+", "-", "@", "\t", "\r")):
        return value
    try:
        float(text)
    except ValueError:
        return f"'{text}"
    return value


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
    sections = []
    rows = [["spot", "picture", "figure", "value"]]
    for spot, row, told in zip(compared.spots, compared.at, compared.told, strict=True):
        sections.append(_spot_section(compared, names, spot.kind, (spot.x, spot.y), told, zooms))
        for name, found in zip(names, row, strict=True):
            rows += [[spot.kind, name, key, str(value)] for key, value in found.as_dict().items()]
    sections += [_wholes(compared, names), _pictures(compared, names)]
    figures = {
        "verdict": compared.verdict.words,
        "pictures": [
            {
                "name": entry.name, "domain": entry.domain, "exposure": exposure_text(entry.info),
                "settings": settings_text(entry.settings), "offset_ev": compared.offsets[k],
                "rotation_deg": compared.mappings[k].rotation, "scale": compared.mappings[k].scale,
                "common_field": compared.mappings[k].common,
                "alignment_residual_px": compared.mappings[k].residual,
                "sensor_clipped": compared.whole[k].sensor_clipped, "at_white": compared.whole[k].white,
                "at_black": compared.whole[k].black, "shadow_cast_ev": compared.whole[k].cast,
                "dynamic_range_stops": compared.ranges[k],
                "difference": None if compared.differences[k] is None else vars(compared.differences[k]),
            }
            for k, entry in enumerate(compared.entries)
        ],
        "spots": [
            {"kind": spot.kind, "x": spot.x, "y": spot.y, "figures": [found.as_dict() for found in row],
             "side_by_side": {key: [None if one is None else vars(one) for one in line.figures]
                              for key, line in told.lines.items() if not line.empty}}
            for spot, row, told in zip(compared.spots, compared.at, compared.told, strict=True)
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
    """The verdict, who the letters are, and under what conditions it holds."""
    condition = (
        "Noise is told in the light of the scene (ISO 15739: what tone curves and exposure do to it is taken "
        "out), texture with the noise of both pictures taken off, each at the same places of the scene. "
        "Differences that nobody sees or that are not sure (95 %) are called alike."
    )
    return [compared.verdict.words, ", ".join(names) + ".", condition]


def _table(told: SideBySide, names: list[str]) -> Table:
    """Rows of figures, columns of pictures, with what each differs by from the first."""
    rows = []
    for line in told.lines.values():
        if line.empty or line.row.domain != "place":
            continue
        cells = []
        for figure in line.figures:
            text = "–" if figure is None else figure.words
            if figure is not None and figure.value is not None:
                text = line.row.text(figure.value)
                if figure.difference is not None:
                    text += " (alike)" if figure.alike else f" ({line.row.difference(figure.difference)})"
            cells.append(text)
        rows.append([line.row.title + (f", {line.note}" if line.note else ""), *cells])
    return Table(["", *names], rows)


def _pictures(compared: Compared, names: list[str]) -> Section:
    rows = []
    for k, entry in enumerate(compared.entries):
        mapping = compared.mappings[k]
        h, w = entry.output
        lies = "the first" if k == 0 else (
            "as the first" if mapping.plain and mapping.found else
            f"{mapping.rotation:+.2f}°, ×{mapping.scale:.3f}, field {mapping.common:.0%}"
            + (f", residual {mapping.residual:.1f} px" if mapping.residual is not None else "")
            if mapping.found else "not aligned: laid corner on corner"
        )  # fmt: skip
        rows.append([names[k], f"{w} × {h}", f"{entry.size / 1e6:.1f} MB", exposure_text(entry.info),
                     settings_text(entry.settings), _text(compared.offsets[k], "{:+.2f}", " EV"),
                     lies])  # fmt: skip
    head = ["picture", "pixels", "file", "exposure", "settings", "brightness matched by", "lies"]
    return Section("What is compared", tables=[Table(head, rows)])


def _wholes(compared: Compared, names: list[str]) -> Section:
    head = ["picture", "clipped on the sensor", "at white", "at black", "shadows red, blue",
        "range at SNR 10", "at SNR 3", "at SNR 1",
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
        "Dynamic range: stops between clipping and the signal at which the SNR falls to a limit, from the "
        "mosaic's noise (worst colour). Differences are against the first picture, at equal brightness, both "
        "reduced to a common size."
    )
    return Section("Whole pictures", note, [Table(head, rows)])


def _spot_section(
    compared: Compared, names: list[str], kind: str, place: tuple[float, float], told: SideBySide,
    zooms: Sequence[int]
) -> Section:  # fmt: skip
    crops: list[list[Crop]] = []
    for zoom in zooms:
        region = around(*place, _CROP // zoom, compared.entries[0].output)
        line: list[Crop] = []
        for k, entry in enumerate(compared.entries):
            if k % _PER_ROW == 0:
                line = []
                crops.append(line)
            there = compared.mappings[k].region(region)
            pixels = crop(entry, there, compared.offsets[k], zoom)
            line.append(Crop(png_address(pixels), f"{names[k]}, {zoom * 100} %"))
    note = f"At {place[0]:.0%} of the width and {place[1]:.0%} of the height; crops are brought to equal brightness."
    return Section(kind.capitalize(), note, [_table(told, names)], crops=crops)
