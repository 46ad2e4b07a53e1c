"""Comparisons and their reports: figures belong to the pixels, pages hold everything, files open elsewhere."""

from __future__ import annotations

import base64
import csv
import io
import json
import re
import xml.etree.ElementTree as ET
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest

from irvane.core.image import LUMA_2020
from irvane.core.judge.chartlines import Line, svg_chart
from irvane.core.judge.comparing import Compared, compare_entries, crop, develop_entry, scene_at, side_of
from irvane.core.judge.ladder import read_ladder
from irvane.core.judge.ladder_report import ladder_report
from irvane.core.judge.probe import robust_sigma
from irvane.core.judge.report import comparison_report
from irvane.core.line.source import FileSource
from irvane.core.settings import Settings
from irvane.core.simulate.folder import LADDER_FOLDER


@pytest.fixture(scope="module")
def compared(demo: Path) -> Compared:
    source = FileSource(demo / "bench-iso6400.dng")
    tried = {
        "off": {"noise.amount": 0},
        "fast": {"noise.method": "fast"},
        "best": {},
        "darker": {"light.exposure": -1},
    }
    entries = []
    for name, values in tried.items():
        settings = Settings()
        for path, value in values.items():
            settings = settings.with_value(path, value)
        entries.append(replace(develop_entry(source, settings), name=name))
    return compare_entries(entries)


def test_figures_agree_with_the_eye(compared: Compared) -> None:
    """Off is noisiest, best keeps no more noise than fast; the darker one is the same but for its offset."""
    kinds = [spot.kind for spot in compared.spots]
    assert "smooth" in kinds and "texture" in kinds
    smooth = compared.at[kinds.index("smooth")]
    sigmas = [figures.probe.sigma_luminance for figures in smooth]
    assert sigmas[0] > 3 * sigmas[1] and sigmas[0] > 3 * sigmas[2]
    assert compared.offsets[0] == 0 and compared.offsets[3] == pytest.approx(1, abs=0.02)
    assert [abs(o) < 0.05 for o in compared.offsets] == [True, True, True, False]
    assert all(mapping.plain for mapping in compared.mappings)
    ranges = compared.ranges[0]
    assert ranges["snr_10"]["per_pixel"] < ranges["snr_3"]["per_pixel"] < ranges["snr_1"]["per_pixel"]


def test_figures_are_those_of_the_pixels_beside_them(compared: Compared) -> None:
    for spot, row in zip(compared.spots, compared.at, strict=True):
        for entry, figures in zip(compared.entries, row, strict=True):
            light = scene_at(entry, figures.region) @ LUMA_2020
            assert light.shape == (side_of(spot.kind),) * 2
            assert figures.probe.luminance == pytest.approx(float(light.mean()), rel=1e-5)
            assert figures.probe.sigma_luminance == pytest.approx(robust_sigma(light), rel=1e-4)


def test_the_page_holds_everything(compared: Compared, tmp_path: Path) -> None:
    report = comparison_report(compared)
    page, table, figures = report.write(tmp_path / "report")
    text = page.read_text("utf-8")
    assert not re.search(r'(src|href)="(?!data:)', text), "nothing is fetched from elsewhere"
    pictures = re.findall(r"data:image/png;base64,([A-Za-z0-9+/=]+)", text)
    assert len(pictures) == len(compared.spots) * len(compared.entries) * 2
    assert compared.verdict.words.startswith("Cleanest at the judging spots: ")
    first = cv2.imdecode(np.frombuffer(base64.b64decode(pictures[0]), np.uint8), cv2.IMREAD_COLOR)[..., ::-1]
    region = compared.mappings[0].region
    assert first.shape[2] == 3 and min(first.shape[:2]) >= 300
    for entry in compared.entries:
        assert entry.name in text
    rows = list(csv.reader(io.StringIO(table.read_text("utf-8"))))
    assert {len(row) for row in rows} == {4} and len(rows) > 50
    data = json.loads(figures.read_text("utf-8"))
    assert [p["offset_ev"] for p in data["pictures"]] == list(compared.offsets)
    assert len(data["spots"]) == len(compared.spots)
    assert report.summary[0] == compared.verdict.words == data["verdict"] and region is not None
    report.write(tmp_path / "report")  # a former one is replaced


def test_crops_are_brought_to_equal_brightness(compared: Compared) -> None:
    region = compared.at[0][0].region
    plain, darker = (crop(compared.entries[k], region, compared.offsets[k], 2) for k in (2, 3))
    assert (
        plain.shape == darker.shape == (2 * (region.bottom - region.top), 2 * (region.right - region.left), 3)
    )
    assert abs(float(plain.mean()) - float(darker.mean())) < 2
    assert np.array_equal(plain[0, 0], plain[1, 1])


def test_the_ladders_report_says_what_the_figures_say(demo: Path) -> None:
    ladders = read_ladder(sorted((demo / LADDER_FOLDER).glob("*.dng")))
    report = ladder_report(ladders, 20.0)
    assert report.figures["limit_db"] == 20.0
    assert [c["camera"] for c in report.figures["cameras"]] == ["Simulated A", "Simulated B"]
    usable = [c["verdict"]["usable"] for c in report.figures["cameras"]]
    assert usable[0] > usable[1]
    assert f"{usable[0]:.1f} stops" in report.summary[0]
    wells = [c["photon_transfer"]["green"]["saturation"] for c in report.figures["cameras"]]
    assert wells == [pytest.approx(50_000, rel=0.05), pytest.approx(47_000, rel=0.05)]
    text = report.html()
    drawings = re.findall(r"<svg.*?</svg>", text, re.S)
    assert len(drawings) == 3
    for drawing in drawings:
        ET.fromstring(drawing)
    json.dumps(report.figures)
    rows = next(section.crops for section in report.sections if section.crops)
    assert len(rows) == len(ladders[0].rungs) and all(len(row) == 2 for row in rows)


def test_charts_show_every_point_inside() -> None:
    drawing = svg_chart([Line("a < b", [0, 1, 2], [1.0, float("nan"), -3.0])], "x", "y", level=5.0)
    root = ET.fromstring(drawing)
    circles = [e for e in root if e.tag.endswith("circle")]
    assert len(circles) == 2
    assert all(0 < float(c.get("cx")) < 560 and 0 < float(c.get("cy")) < 300 for c in circles)
    assert svg_chart([Line("empty", [], [])], "x", "y") == ""
