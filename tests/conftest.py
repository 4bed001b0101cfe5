"""Pictures that the tests share: the bench, clean and noisy, small enough to be quick."""

from __future__ import annotations

import os

import cv2
import numpy as np
import pytest

from dustpan.batch.registration_cache import RegistrationCache
from dustpan.core.noise.measured import measure_base
from dustpan.core.picture.source import Source
from dustpan.core.render import engine
from dustpan.core.render.plan import digest
from dustpan.core.work.pool import Pool
from dustpan.simulate.scenes import clean_picture, noisy_picture

cv2.setNumThreads(1)  # as the program does: its own threads share out the work
SIZE = (600, 400)
if not os.environ.get("DISPLAY"):
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


def psnr(result: np.ndarray, truth: np.ndarray) -> float:
    """Peak signal to noise of working pixels, dB."""
    return float(-10 * np.log10(np.mean((np.clip(result, 0, 1) - truth) ** 2)))


def with_white_noise(truth: np.ndarray, levels: float, seed: int = 1) -> np.ndarray:
    """8-bit pixels with white noise, clipped as a file clips it."""
    noise = np.random.default_rng(seed).normal(0, levels, truth.shape)
    return np.clip(np.rint(truth * 255 + noise), 0, 255).astype(np.uint8)


@pytest.fixture(scope="session", autouse=True)
def own_cache(tmp_path_factory):
    """Registrations are kept in a folder of the tests."""
    patch, folder = pytest.MonkeyPatch(), tmp_path_factory.mktemp("registrations")
    patch.setattr(RegistrationCache, "of_user", classmethod(lambda cls: cls(folder)))
    yield
    patch.undo()


@pytest.fixture(scope="session", autouse=True)
def noise_is_measured_once():
    """The noise of a base is measured once for all tests: it depends on the base and its compression alone."""
    patch, measured = pytest.MonkeyPatch(), {}

    def measure_once(base, compression=None, *, pool=None):
        key = digest(base.key, compression)
        if key not in measured:
            measured[key] = measure_base(base, compression, pool=pool)
        return measured[key]

    patch.setattr(engine, "measure_base", measure_once)
    yield
    patch.undo()


@pytest.fixture(scope="session")
def truth() -> np.ndarray:
    """The clean bench as working pixels."""
    return clean_picture("bench", size=SIZE, dtype=np.float32).pixels


@pytest.fixture(scope="session")
def noisy() -> Source:
    """The bench at ISO 12800."""
    return noisy_picture("bench", iso=12800, seed=3, size=SIZE)


@pytest.fixture
def pool():
    """Two threads that are gone after the test."""
    made = Pool(2)
    yield made
    made.close()
