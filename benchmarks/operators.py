"""Merges seen through our operators and OpenCV's, side by side. Writes docs/merge-operators.jpg.

    python benchmarks/operators.py [DEMO FOLDER]

Two brackets of the demo: the gatherer before the furnace (a glowing mouth in a dark room), and a part of the shelf wall with the bare
bulb or the open door (a bright sky, a lamp and a dark room). OpenCV's operators get the same merged light, white-balanced and in
sRGB primaries, and their own defaults with a display curve of 2.2, as its documentation has it.
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

import cv2
import numpy as np

from irvane.core.colour.spaces import SPACES, WORKING, between
from irvane.core.files.presets import list_presets
from irvane.core.line.merge_options import MERGE_START
from irvane.core.line.merging import MergeSource
from irvane.core.line.realise import realise
from irvane.core.line.view import render_view, scene_patch
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings, bare
from irvane.core.simulate.demo import make_demo

_BRACKETS = {
    "furnace": [f"furnace-{k}.dng" for k in range(1, 6)],
    "shelf, bulb": [f"shelf-11-{k}.dng" for k in (1, 2, 3)],
    "shelf, door": [f"shelf-13-{k}.dng" for k in (1, 2, 3)],
}
_OURS = ("as it opens", "Many stops, restrained", "Many stops, like a print", "Many stops, bold")
_WIDTH = 460


def ours(source: MergeSource) -> list[tuple[str, np.ndarray]]:
    presets = {one.name: one for one in list_presets(Path("nowhere"))[0]}
    start = Settings().with_values(MERGE_START)
    made = []
    developed, context = realise(source, start)
    h, w = developed.extent
    for name in _OURS:
        settings = start if name not in presets else presets[name].applied(start)
        shown = render_view(developed, settings, context, OutputRegion(0, 0, h, w, step=w / _WIDTH))
        made.append((name, shown.pixels[..., :3]))
    light = scene_patch(developed, bare(), context, OutputRegion(0, 0, h, w, step=w / _WIDTH)).pixels
    rgb = np.maximum(light @ between(WORKING, SPACES["srgb"]).T.astype(np.float32), 1e-6).astype(np.float32)
    operators = (
        ("OpenCV, Drago", cv2.createTonemapDrago(2.2)),
        ("OpenCV, Reinhard", cv2.createTonemapReinhard(2.2)),
        ("OpenCV, Mantiuk", cv2.createTonemapMantiuk(2.2)),
    )
    for name, operator in operators:
        toned = np.nan_to_num(operator.process(rgb))
        made.append((name, np.rint(np.clip(toned, 0, 1) * 255).astype(np.uint8)))
    return made


def main() -> None:
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else Path(tempfile.mkdtemp()) / "demo"
    if not folder.exists():
        make_demo(folder, seed=1)
    rows = []
    for title, names in _BRACKETS.items():
        cells = []
        for name, pixels in ours(MergeSource([folder / n for n in names])):
            cell = cv2.resize(pixels, (_WIDTH, round(_WIDTH * 2 / 3)), interpolation=cv2.INTER_AREA)
            cell = cv2.copyMakeBorder(cell, 22, 4, 2, 2, cv2.BORDER_CONSTANT, value=(24, 24, 24))
            cv2.putText(
                cell,
                f"{title}: {name}",
                (6, 16),
                cv2.FONT_HERSHEY_SIMPLEX,
                0.45,
                (220, 220, 220),
                1,
                cv2.LINE_AA,
            )
            cells.append(cell)
        cells.append(np.full_like(cells[0], 24))
        rows += [np.hstack(cells[:4]), np.hstack(cells[4:8])]
        print(title, flush=True)
    sheet = np.vstack(rows)[..., ::-1]
    cv2.imwrite(
        str(Path(__file__).parent.parent / "docs" / "merge-operators.jpg"),
        sheet,
        [cv2.IMWRITE_JPEG_QUALITY, 88],
    )


if __name__ == "__main__":
    main()
