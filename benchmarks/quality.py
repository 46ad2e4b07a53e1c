"""Picture quality beside LibRaw and OpenCV, all in one run: writes docs/quality.md.

Run with ``python benchmarks/quality.py``. Each measurement is kept in a cache folder under the code's version, so that
an interrupted run goes on; ``--fresh`` begins anew, ``--quick`` takes two photographs only (and writes nothing).
"""

from __future__ import annotations

import argparse
import json
import subprocess
from collections.abc import Callable
from pathlib import Path

import colour
import cv2
import numpy as np

import defects
import highlights
import photographs
import protocol
import rim
from irvane.core.finish import job
from irvane.core.line.bands import Output
from irvane.core.line.realise import realise
from irvane.core.line.source import FileSource
from irvane.core.settings import bare
from irvane.core.threads import CORES

ROOT = Path(__file__).parent.parent
CACHE = photographs.CACHE.parent / "quality"
SENSITIVITIES = (3200, 12800, 51200)
#: Strengths tried for OpenCV's colour non-local means; the best one per picture counts.
STRENGTHS = (3, 6, 10, 15, 21, 28)
FLAT = Output("srgb", linear=True, flat=True)


def ours(path: Path, amount: float | None) -> np.ndarray:
    """The plain linear rendition, as ``develop --flat --linear --depth 16`` writes it."""
    settings = bare().with_value("noise.amount", amount)
    developed, context = realise(FileSource(path), settings)
    return job.assemble(developed, settings, context, FLAT, 16).astype(np.float32) / 65535


def nlm(linear: np.ndarray, truth: np.ndarray) -> np.ndarray:
    """OpenCV's colour non-local means at its best strength for this picture."""
    cv2.setNumThreads(CORES)  # Irvane keeps OpenCV to one thread
    eight = np.rint(protocol.encode(linear) * 255).astype(np.uint8)
    best, best_score = linear, -1.0
    for h in STRENGTHS:
        clean = cv2.fastNlMeansDenoisingColored(eight, None, h, h, 7, 21).astype(np.float32) / 255
        light = np.where(clean <= 0.04045, clean / 12.92, ((clean + 0.055) / 1.055) ** 2.4)
        score = protocol.psnr(light, truth)
        if score > best_score:
            best, best_score = light, score
    cv2.setNumThreads(1)
    return best


def delta_e(result: np.ndarray, truth: np.ndarray) -> float:
    """Mean ΔE2000, border excluded."""
    inner = (slice(protocol.BORDER, -protocol.BORDER),) * 2
    lab = [
        colour.XYZ_to_Lab(colour.RGB_to_XYZ(np.clip(p[inner], 0, 1), "sRGB", apply_cctf_decoding=False))
        for p in (result, truth)
    ]
    return float(colour.delta_E(*lab, method="CIE 2000").mean())


def false_colour(result: np.ndarray, truth: np.ndarray) -> float:
    """RMS error of chroma (Cb, Cr of encoded values, in per cent) at the most textured tenth of the picture."""
    inner = (slice(protocol.BORDER, -protocol.BORDER),) * 2
    a, b = (
        cv2.cvtColor(protocol.encode(p[inner]).astype(np.float32), cv2.COLOR_RGB2YCrCb)
        for p in (result, truth)
    )
    texture = cv2.GaussianBlur(np.abs(cv2.Laplacian(b[..., 0], cv2.CV_32F)), (0, 0), 2)
    busy = texture >= np.quantile(texture, 0.9)
    return float(100 * np.sqrt(np.mean((a[busy][:, 1:] - b[busy][:, 1:]) ** 2)))


def scores(result: np.ndarray, truth: np.ndarray) -> dict[str, float]:
    """All figures of a result."""
    return {
        "psnr": protocol.psnr(result, truth),
        "ssim": protocol.ssim(result, truth),
        "de": delta_e(result, truth),
        "chroma": false_colour(result, truth),
    }


def measure(name: str, six: bool, iso: float) -> dict[str, dict[str, float]]:
    """Scores of every method on one photograph."""
    truth = photographs.load(name)
    raw = CACHE / f"{Path(name).stem}-{'six' if six else 'bayer'}-{iso:g}.dng"
    protocol.simulate(raw, truth, iso, six)
    found: dict[str, dict[str, float]] = {}
    if iso == 100:
        for method in (None,) if six else protocol.LIBRAW_BAYER:
            found[f"LibRaw {method or 'own'}"] = scores(protocol.libraw(raw, method), truth)
        found["Irvane"] = scores(ours(raw, 0), truth)
        return found
    plain = protocol.libraw(raw, None if six else "AHD")
    found["LibRaw plain"] = scores(plain, truth)
    found["OpenCV NLM"] = scores(nlm(plain, truth), truth)
    found["Irvane, denoise off"] = scores(ours(raw, 0), truth)
    found["Irvane, denoise auto"] = scores(ours(raw, None), truth)
    raw.unlink()
    return found


def mean_table(results: list[dict[str, dict[str, float]]]) -> list[str]:
    """Rows of the mean over photographs."""
    rows = []
    for method in results[0]:
        m = {k: float(np.mean([r[method][k] for r in results])) for k in results[0][method]}
        rows.append(f"| {method} | {m['psnr']:.2f} | {m['ssim']:.4f} | {m['de']:.2f} | {m['chroma']:.2f} |")
    return rows


_HEAD = ["| method | PSNR dB | SSIM | ΔE2000 | chroma error % |", "|---|---|---|---|---|"]


def report(run: Callable[[str, bool, float], dict[str, dict[str, float]]], names: tuple[str, ...]) -> str:
    """The whole document."""
    lines = [
        "# Picture quality",
        "",
        "Made by `python benchmarks/quality.py`: simulated raws of photographs that packages ship (none used in",
        "training), the reference sensor of 50,000 e⁻ at ISO 100 and 3 e⁻ read noise, every method in the same run.",
        "PSNR and SSIM on sRGB-encoded values, a border of 16 px excluded; mean of per-picture values. Chroma error: RMS",
        "of Cb and Cr at the most textured tenth of each picture. OpenCV's colour non-local means runs after LibRaw at",
        f"the best of the strengths {', '.join(map(str, STRENGTHS))} per picture.",
        "",
        f"{len(names)} photographs: {', '.join(Path(n).stem for n in names)}.",
    ]
    for six, array in ((False, "Bayer"), (True, "6×6 array")):
        lines += ["", f"## Demosaicing, {array}, ISO 100", "", *_HEAD]
        results = [run(n, six, 100) for n in names]
        lines += mean_table(results)
        lines += [
            "",
            "PSNR per photograph (dB): best LibRaw, Irvane",
            "",
            "| photograph | LibRaw | Irvane |",
            "|---|---|---|",
        ]
        for name, result in zip(names, results, strict=True):
            best = max(v["psnr"] for k, v in result.items() if k.startswith("LibRaw"))
            lines.append(f"| {Path(name).stem} | {best:.2f} | {result['Irvane']['psnr']:.2f} |")
    for six, array in ((False, "Bayer"), (True, "6×6 array")):
        for iso in SENSITIVITIES:
            lines += [
                "",
                f"## Noise, {array}, ISO {iso}",
                "",
                *_HEAD,
                *mean_table([run(n, six, iso) for n in names]),
            ]
    return "\n".join(lines) + "\n"


def highlight_rows(found: dict[str, list[list[float]]]) -> list[str]:
    """The section on rebuilt highlights."""
    spans = [f"{low:g}–{high:g} stops lost" for low, high in highlights.RANGES]
    return [
        "", "## Clipped highlights, Bayer, ISO 100", "",
        "Photographs overexposed so that their brightest part loses one or two colours while another holds. Error of",
        "the lost colours in EV, median / 90th percentile; where all colours are lost, that of a colour against the mean of",
        "the three (its tint; brightness is not known there).", "",
        f"| method | {' | '.join(spans)} | tint, all lost |", "|---|---|---|---|",
        *(f"| {w} | {' | '.join(f'{m:.3f} / {p:.2f}' for m, p in v)} |" for w, v in found.items()),
    ]  # fmt: skip


def defect_rows(found: list[list[str | float]]) -> list[str]:
    """The section on defective pixels."""
    spans = [f"{low}–{high} σ" for low, high in defects.SPANS]
    return [
        "", "## Defective pixels", "",
        "Bright single pixels put among the true ones: how many are found (in per cent, by how far they stand out), and how",
        f"many good pixels of a clean frame are taken for defects. Lens: blurred by σ {defects.LENS:g} px. Photographs sharp to",
        "the pixel are what no lens draws: in them, single bright pixels that are true cannot be told from defects. σ is that",
        "of the noise; over texture, of all pixels of the colour around the defect, noise and texture.", "",
        f"| scene | imagined per 100,000 | {' | '.join(f'found, {s}' for s in spans)} |",
        "|---" * (2 + len(spans)) + "|",
        *(f"| {name} | {imagined:.1f} | {' | '.join(f'{s:.1f}' for s in shares)} |" for name, imagined, *shares in found),
    ]  # fmt: skip


def rim_rows(found: dict[str, list[float]], names: tuple[str, ...]) -> list[str]:
    """The section on the rim of the frame."""
    return [
        "", "## The rim of the frame", "",
        f"What a crop's outermost {rim.RIM} px lose, in dB, against the same pixels inside of the whole frame; photographs",
        "without noise, no denoising.", "",
        f"| method | mean | {' | '.join(Path(name).stem for name in names)} |",
        "|---" * (2 + len(names)) + "|",
        *(f"| {way} | {np.mean(v):.2f} | {' | '.join(f'{x:.2f}' for x in v)} |" for way, v in found.items()),
    ]  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--fresh", action="store_true")
    parser.add_argument("--quick", action="store_true")
    args = parser.parse_args()
    photographs.fetch()
    CACHE.mkdir(parents=True, exist_ok=True)
    tree = ["git", "rev-parse", "HEAD:src/irvane/core"]
    version = subprocess.run(tree, cwd=ROOT, capture_output=True, text=True, check=False).stdout.strip()[:12]
    store = CACHE / f"results-{version or 'unversioned'}.json"
    kept = json.loads(store.read_text()) if store.exists() and not args.fresh else {}

    def run(name: str, six: bool, iso: float) -> dict[str, dict[str, float]]:
        key = f"{name} {six} {iso:g}"
        if key not in kept:
            print(key, flush=True)
            kept[key] = measure(name, six, iso)
            store.write_text(json.dumps(kept))
        return kept[key]

    text = report(run, photographs.TEST[:2] if args.quick else photographs.TEST)
    for name, part in (("highlights", highlights), ("defects", defects), ("rim", rim)):
        if name not in kept and not args.quick:
            kept[name] = part.measure()
            store.write_text(json.dumps(kept))
    if args.quick:
        print(text)
    else:
        rows = [
            *highlight_rows(kept["highlights"]),
            *defect_rows(kept["defects"]),
            *rim_rows(kept["rim"], photographs.TEST),
        ]
        text += "\n".join(rows) + "\n"
        (ROOT / "docs" / "quality.md").write_text(text, "utf-8")


if __name__ == "__main__":
    main()
