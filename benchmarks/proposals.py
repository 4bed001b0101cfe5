"""Whether the proposed route does harm of its own: the bench at six ISOs, photographs with noise put on."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image

from benchmarks.common import console, photographs, table
from dustpan.core.document.history import Document
from dustpan.core.judge.propose import propose_route
from dustpan.core.judge.report import judge
from dustpan.core.judge.spots import choose_patches
from dustpan.core.picture.curve import decode_curve
from dustpan.core.picture.source import Source
from dustpan.core.picture.working import from_working, to_working
from dustpan.core.render.engine import Engine
from dustpan.core.work.pool import Pool
from dustpan.files import read_picture
from dustpan.simulate.camera import Settings, take_photograph
from dustpan.simulate.scenes import noisy_picture

ISOS = (400, 800, 1600, 3200, 6400, 12800, 25600)


def with_camera_noise(photo: np.ndarray, seed: int, iso: int = 6400) -> np.ndarray:
    return from_working(take_photograph(decode_curve(photo), Settings(iso=iso), seed=seed), dtype=np.uint8)


def with_white_noise(photo: np.ndarray, seed: int, levels: float = 15.0) -> np.ndarray:
    noise = np.random.default_rng(seed).normal(0, levels / 255, photo.shape)
    return from_working((photo + noise).astype(np.float32), dtype=np.uint8)


def as_jpeg(photo: np.ndarray, seed: int) -> np.ndarray:
    held = io.BytesIO()
    Image.fromarray(with_camera_noise(photo, seed, 3200)).save(held, "JPEG", quality=85)
    return np.asarray(Image.open(held)).copy()


def too_dark(photo: np.ndarray, seed: int) -> np.ndarray:
    """Return a photograph taken three stops under, whose light the proposal lifts."""
    return from_working(take_photograph(decode_curve(photo) / 8, Settings(iso=1600), seed=seed), dtype=np.uint8)


KINDS = {"camera": with_camera_noise, "white": with_white_noise, "JPEG": as_jpeg, "three stops dark": too_dark}


def harm_of(source: Source, pool: Pool) -> tuple[list[str], list[str]]:
    """Return the kinds of the proposed steps, and the harm they do."""
    engine = Engine(source, pool=pool)
    route = propose_route(engine)
    plan, original = engine.plan(Document(route)), engine.plan(Document())
    report = judge(engine, plan, original, choose_patches(original.base))
    return [step.kind for step in route], [f"{found.what} {found.size:.2g}" for found in report.harm]


def run(count: int = 20) -> None:
    """Print how many proposals did harm."""
    pool = Pool()
    shown = table("Harm done by the proposed route", "picture", "number", "proposed", "harm")
    for iso in ISOS:
        steps, harm = harm_of(noisy_picture("bench", iso=iso), pool)
        shown.add_row(f"bench, ISO {iso}", "1", " ".join(steps), ", ".join(harm) or "none")
    photos = photographs()
    for name, spoil in KINDS.items():
        found = []
        for number, path in enumerate(photos[:: max(len(photos) // count, 1)][:count]):
            source = Source(spoil(to_working(read_picture(path).pixels), number), name=path.name)
            found.append((path.stem, *harm_of(source, pool)))
        bad = [f"{stem}: {', '.join(harm)}" for stem, _, harm in found if harm]
        steps = sum(len(kinds) for _, kinds, _ in found) / max(len(found), 1)
        shown.add_row(f"photographs, {name}", str(len(found)), f"{steps:.1f} steps", "; ".join(bad) or "none")
    pool.close()
    console.print(shown)
    if not photos:
        print("No photographs: set DUSTPAN_PHOTOS to a folder of PNG files.")
