"""The report of a ladder: usable stops, noise over exposure, and from where cameras differ."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from irvane.core.image import GREEN
from irvane.core.judge.chartlines import Line, svg_chart
from irvane.core.judge.ladder import CameraLadder, Rung
from irvane.core.judge.report import Crop, Report, Section, Table, png_address
from irvane.core.judge.transfer import fit
from irvane.core.judge.usable import USUAL_LIMIT, compare, differs_from, verdict


def ladder_report(ladders: Sequence[CameraLadder], limit: float = USUAL_LIMIT) -> Report:
    """The report of a ladder of one or several cameras at an SNR limit in dB."""
    sections, summary, cameras = [], [], []
    rows = [["camera", "file", "stop", "patch", "snr_red_db", "snr_green_db", "snr_blue_db", "clipped"]]
    for ladder in ladders:
        found = verdict(ladder, limit)
        above = "no over-exposed frame" if found.above is None else f"{found.above:.1f} stops above"
        least = "at least " if found.ends else ""
        summary.append(
            f"{ladder.name}: usable {least}{found.usable:.1f} stops around the metered exposure ({above}, "
            f"{least}"
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
                    *("" if clipped else f"{v:.2f}" for v in snr),
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
        [rung.path.name, f"{rung.stop:+.2f}", f"{rung.mean_snr:.1f}",
        *(f"{v:.1f}" for v in snr_by_colour(rung)),
         "–" if rung.snr_denoised is None else f"{rung.snr_denoised.mean():.1f}", cast_words(rung),
         f"{rung.error.mean():.2f} / {rung.error.max():.2f}", f"{int(rung.clipped.sum())} of "
             f"{len(rung.clipped)}"]
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


def cast_words(rung: Rung) -> str:
    """The cast of a rung; where patches are clipped it may be that."""
    words = f"{rung.cast:+.3f}".replace("-", "−")
    return f"{words} (clipping)" if rung.clipped.any() else words


def snr_by_colour(rung: Rung) -> np.ndarray:
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
        "verdict": {"above": found.above, "below": found.below, "usable": found.usable,
        "at_least": found.ends},
        "photon_transfer": transfer,
        "rungs": [
            {"file": str(r.path), "stop": r.stop, "stated": r.stated, "snr_db": r.mean_snr, "cast_ev": r.cast,
             "snr_denoised_db": None if r.snr_denoised is None else float(r.snr_denoised.mean()),
             "snr_green_db": [None if cut else float(v) for v, cut in
                              zip(r.snr[:, GREEN], r.clipped, strict=True)], "clipped": int(r.clipped.sum()),
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
