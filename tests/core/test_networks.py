"""Networks: half precision beside the reference, stopping, one at a time in a thread, no statistics."""

from __future__ import annotations

import io
import os
import subprocess
import sys
import threading
import time

import numpy as np
import pytest
import shots

from irvane.core import networks
from irvane.core.image import BAYER, SIX_BY_SIX
from irvane.core.line.develop import denoise_whole, develop
from irvane.core.noise.denoise import BEST, NEWEST, SECOND, Removal, denoise_mosaic, method_for
from irvane.core.settings import Sensor
from irvane.core.threads import stopping


def _encoded(light: np.ndarray) -> np.ndarray:
    x = np.clip(light, 0, 1)
    return np.where(x <= 0.0031308, x * 12.92, 1.055 * x ** (1 / 2.4) - 0.055)


def _with(precision: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("IRVANE_PRECISION", precision)
    networks.precision.cache_clear()


@pytest.fixture(autouse=True)
def _as_before():
    yield
    networks.precision.cache_clear()


@pytest.mark.parametrize("iso", [400, 6400, 51_200])
@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_half_precision_costs_nothing_that_is_seen(
    cfa: np.ndarray, iso: float, monkeypatch: pytest.MonkeyPatch
) -> None:
    """On a processor without it, OpenVINO computes in single precision, and both are equal."""
    camera = shots.photograph() * shots.NEUTRAL.astype(np.float32)
    made = {}
    for precision in (networks.SINGLE, networks.HALF):
        _with(precision, monkeypatch)
        developed = develop(shots.loaded(camera, iso, cfa), Sensor())
        made[precision] = denoise_whole(developed, Sensor(), Removal(1.0)).read_all()
    loss = [shots.psnr(_encoded(p), _encoded(camera)) for p in made.values()]
    assert abs(loss[0] - loss[1]) < 0.02
    apart = np.sqrt(np.mean((made["f32"] - made["f16"]) ** 2))
    assert apart < 0.1 * np.sqrt(0.3 * shots.noise_of(iso).gain[1]), "a tenth of the noise in the mid-tones"


@pytest.mark.parametrize("iso", [400, 3200, 12_800, 51_200])
@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_whole_numbers_cost_nothing_that_is_seen(cfa: np.ndarray, iso: float) -> None:
    """Of scikit-image's photographs, none of which set a range: the same PSNR to 0.03 dB, and nowhere as much apart as the noise was."""
    noise, losses = shots.noise_of(iso), []
    for name in ("astronaut.png", "chelsea.png", "coffee.png"):
        camera = shots.photograph(name, reduced=False)[:288, :288] * shots.NEUTRAL.astype(np.float32)
        truth = shots.mosaic_of(np.ascontiguousarray(camera), cfa)
        dirty = shots.noisy(truth, noise)
        floating, whole = (
            denoise_mosaic(dirty, noise, 1 / shots.NEUTRAL, method=method_for(cfa, BEST, by)) for by in (SECOND, NEWEST)
        )  # fmt: skip
        apart = np.abs(floating - whole) / np.sqrt(noise.gain[1] * truth.data + noise.read[1] ** 2)
        assert 0 < apart.max() < 1 and np.sqrt(np.mean(apart**2)) < 0.05, (
            "in standard deviations of the noise"
        )
        losses.append(shots.psnr(floating, truth.data) - shots.psnr(whole, truth.data))
    assert np.mean(losses) < 0.03 and max(losses) < 0.06


def test_whole_numbers_are_the_same_on_every_processor() -> None:
    """Without an instruction for it, products of pairs are added in 16 bits: weights of 7 bits do not overflow them."""
    code = """
import sys
import numpy as np
from irvane.core import networks
from irvane.core.noise import learned
from irvane.core.sensor.packing import PACKINGS
planes = np.float32(np.random.default_rng(3).uniform(0, 70, (4, 96, 96)))
planes[:, 40:, :30] = 78  # hard edges, where sums are largest
ranges = learned._kinds("bayer")[1][1]
np.save(sys.stdout.buffer, networks.run("irvane.core.noise", "bayer", planes, ranges))
"""
    made = []
    for instructions in ("", "AVX2"):
        told = {"ONEDNN_MAX_CPU_ISA": instructions} if instructions else {}
        run = subprocess.run(
            [sys.executable, "-c", code], env={**os.environ, **told}, capture_output=True, check=True,
        )  # fmt: skip
        made.append(np.load(io.BytesIO(run.stdout)))
    assert np.abs(made[0] - made[1]).max() < 0.2 and np.std(made[0] - made[1]) < 0.01


def test_precision_is_part_of_what_a_result_is_known_by(monkeypatch: pytest.MonkeyPatch) -> None:
    found = set()
    for precision in (networks.SINGLE, networks.HALF):
        _with(precision, monkeypatch)
        found.add(networks.fingerprint("irvane.core.noise", "bayer"))
    assert len(found) == 2


def test_the_processor_decides(monkeypatch: pytest.MonkeyPatch, tmp_path) -> None:
    monkeypatch.delenv("IRVANE_PRECISION")
    for flags, expected in (("avx2 avx512f avx512_fp16 amx_tile", "f16"), ("avx2 fma", "f32")):
        (tmp_path / "cpuinfo").write_text(f"flags\t: fpu {flags} \n", "ascii")
        monkeypatch.setattr(networks, "_FLAGS", tmp_path / "cpuinfo")
        networks.precision.cache_clear()
        assert networks.precision() == expected
    monkeypatch.setattr(networks, "_FLAGS", tmp_path / "none")
    networks.precision.cache_clear()
    assert networks.precision() == "f32"


def test_a_network_that_is_not_wanted_any_more_stops() -> None:
    planes = np.zeros((4, 1024, 1024), np.float32)
    calls = []

    class Now:
        """Stands for the work that gives up: calls what it is handed from another thread."""

        def __init__(self, call) -> None:
            threading.Timer(0.3, lambda: (calls.append(1), call())).start()

    real = stopping

    def throttle(call):
        Now(call)
        return real(call)

    networks.run("irvane.core.noise", "bayer", planes[:, :64, :64])
    began = time.monotonic()
    original, networks.stopping = networks.stopping, throttle
    try:
        with pytest.raises(networks.Stopped):
            networks.run("irvane.core.noise", "bayer", planes)
    finally:
        networks.stopping = original
    assert calls and time.monotonic() - began < 10
    again = networks.run("irvane.core.noise", "bayer", planes[:, :64, :64])
    assert np.isfinite(again).all(), "the same network works again"


def test_many_threads_begin_at_once() -> None:
    """The runtime's first steps are one thread's: otherwise some processes stood still for ever."""
    code = (
        "import sys, threading, numpy as np; from irvane.core import networks\n"
        "sys.setswitchinterval(1e-5)\n"
        "go = threading.Barrier(8)\n"
        "def work():\n"
        "    go.wait(); networks.run('irvane.core.noise', 'bayer', np.zeros((4, 16, 16), np.float32))\n"
        "threads = [threading.Thread(target=work) for _ in range(8)]\n"
        "[t.start() for t in threads]; [t.join() for t in threads]; print('done')"
    )
    for _ in range(6):
        done = subprocess.run(
            [sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=True
        )
        assert done.stdout.strip() == "done"


def test_threads_do_not_share_what_they_compute() -> None:
    rng = np.random.default_rng(0)
    inputs = [rng.normal(5, 1, (4, 96, 96)).astype(np.float32) for _ in range(4)]
    expected = [networks.run("irvane.core.noise", "bayer", planes) for planes in inputs]
    results: dict[int, np.ndarray] = {}

    def work(k: int) -> None:
        for _ in range(3):
            results[k] = networks.run("irvane.core.noise", "bayer", inputs[k])

    threads = [threading.Thread(target=work, args=(k,)) for k in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    for k, made in results.items():
        np.testing.assert_array_equal(made, expected[k])
