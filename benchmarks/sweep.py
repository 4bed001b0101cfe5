"""Many kinds of noise x photographs: how well noise is measured, and what cleaning and the proposed route gain.

    python -m benchmarks sweep [--kinds NAME,...] [--photos chosen|held|scenes] [--jobs 2] [--out FILE]

Each run is a line of JSON in FILE; runs that are there are not made again, so the sweep can be stopped and goes on.
Constants are chosen with the photographs `chosen`; `held` are those that nothing is fitted to, and with them three
kinds that are used for nothing else. `scenes` are the demo scenes, of 2 MP where the photographs have 512 px.
"""

from __future__ import annotations

import json
import os
from collections import Counter, defaultdict
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from pathlib import Path
from typing import Any

for name in ("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS"):
    os.environ.setdefault(name, "1")

import click
import cv2
import numpy as np
from PIL import Image
from training.kinds import HELD_BACK_KINDS, KINDS, Spoiled
from training.samples import true_noise

from benchmarks.common import HELD_BACK, console, photographs, psnr, table
from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.filters.similarity import similarity
from dustpan.core.judge.propose import propose_route
from dustpan.core.judge.report import judge
from dustpan.core.judge.spots import choose_patches
from dustpan.core.noise.measure import model_of
from dustpan.core.noise.model import NoiseModel
from dustpan.core.noise.prior import prediction_of
from dustpan.core.picture.curve import encode_curve
from dustpan.core.picture.source import Source
from dustpan.core.picture.working import to_working
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kinds
from dustpan.simulate.scenes import clean_picture, load_features

_FULL = {"auto": False, "luminance": 100.0, "colour": 100.0, "detail_return": 0.0, "blotch": 3.0}
#: Steps that answer something which a kind has; elsewhere they are false. No kind has haze or tinted darks.
_ANSWERED = {
    "hot_pixels": {"salt and pepper"},
    "fireflies": {"render"},
    "blocks": {"camera, JPEG 92", "camera, JPEG 75", "camera, saved twice", "small camera", "sound, JPEG 90"},
    "banding": set(),
    "sensor_lines": set(),
    "channel_shift": set(),
    "fringe": set(),
    "haze": set(),
    "black_balance": set(),
    "smooth": set(),
    "local_contrast": set(),
    "grain": set(),
}
_SHARPEN = ("sharpen", "deblur", "edges", "local_contrast")
_SCENES = {"bench": (1740, 1160), "tower": (1500, 1000), "escapement": (1080, 720)}
_FEATURED, _AXES = ("bench",), {"albedo": "RGB", "normal": "XYZ", "depth": "Z"}
_PICTURES = {
    "held": "photographs of 512 px that nothing was chosen on",
    "chosen": "photographs of 512 px that constants are chosen on",
    "scenes": "rendered scenes of 0.8 to 2 MP",
}
_FLOOR = 0.5  # display values of true noise, under which errors of the measurement are not counted


def photos_of(which: str) -> dict[str, Path]:
    """Return photographs by their number."""
    numbered = list(enumerate(photographs(), 1))
    if which == "scenes":
        return {name: Path(name) for name in _SCENES}
    if which == "held":
        return {path.stem: path for number, path in numbered if number % HELD_BACK == 0}
    return {path.stem: path for number, path in numbered if number % HELD_BACK == 2}


def _clean(path: Path) -> np.ndarray:
    """Return a photograph, or a scene, as h x w x 3 display tones."""
    if path.name in _SCENES:
        scene = clean_picture(path.name, size=_SCENES[path.name], dtype=np.float32)
        return np.clip(encode_curve(scene.pixels), 0, 1) if scene.linear else scene.pixels
    return np.asarray(Image.open(path).convert("RGB"), np.float32) / 255


def _source(made: Spoiled, kind: str, name: str) -> Source:
    """Return what is cleaned; a rendered scene brings its feature channels where it is spoiled as a render is."""
    if kind != "render" or name not in _FEATURED:
        return made.source
    size, layers = made.noisy.shape[1::-1], {}
    for what, planes in load_features(name).items():
        fitted = np.atleast_3d(cv2.resize(planes, size, interpolation=cv2.INTER_AREA))
        layers |= {f"{what}.{axis}": fitted[..., n] for n, axis in enumerate(_AXES[what])}
    return replace(made.source, layers=layers)


def _three(plane: np.ndarray) -> np.ndarray:
    return np.repeat(plane, 3, axis=2) if plane.shape[2] == 1 else plane


def _rendered(engine: Engine, route: Route) -> np.ndarray:
    plan = engine.plan(Document(route))
    return np.clip(engine.render(plan, (0, 0, *plan.size)), 0, 1)


def _cleaned(engine: Engine) -> np.ndarray:
    return _rendered(engine, Route((new_step("noise", "noise", kinds()["noise"].params_type(**_FULL)),)))


def _told(made: Spoiled, presence: np.ndarray) -> NoiseModel:
    noisy = np.clip(_three(made.noisy), 0, 1) if made.linear else to_working(made.pixels)
    if made.compression is not None:
        noisy = np.clip(np.rint(_three(made.noisy) * 255), 0, 255).astype(np.float32) / 255
    inside = made.inside
    return model_of(prediction_of(true_noise((noisy[inside], _three(made.truth)[inside]))[0]), presence)


def _true_noise(made: Spoiled, told: NoiseModel) -> tuple[float, float]:
    """Return the deviations of luminance and colour noise in display values, where known before black and white cut it.

    What is measured is that noise too: cleaning needs it.
    """
    cut = made.compression is None and (made.noisy.min() < 0 or made.noisy.max() > 1) and not made.linear
    if not cut:
        return told.luminance, told.colour
    noise = (_three(made.noisy) - _three(made.truth))[made.inside]
    scale = 4 * float(np.abs(noise).max())  # so that around middle grey nothing is cut off
    grey = np.full_like(noise, 0.5)
    whole = model_of(prediction_of(true_noise((grey + noise / scale, grey))[0]), told.presence)
    return whole.luminance * scale, whole.colour * scale


def score(kind: str, stem: str, path: Path) -> dict[str, Any]:
    """Return the figures of one run."""
    cv2.setNumThreads(1)
    make = {**KINDS, **HELD_BACK_KINDS}[kind]
    seed = int(stem) if stem.isdigit() else sum(stem.encode())
    made = make(_clean(path), np.random.default_rng([seed, sum(kind.encode())]))
    source = _source(made, kind, path.name)
    engine, truth = Engine(source), _three(made.wanted)
    measured = engine.noise
    told = _told(made, measured.presence if measured.presence.any() else np.full(17, 1 / 17, np.float32))
    route = propose_route(engine)
    pictures = {
        "in": _rendered(engine, Route()),
        "auto": _rendered(engine, route),
        "full": _cleaned(engine),
        "told": _cleaned(Engine(source, noise=told)),
    }
    original = engine.plan(Document())
    report = judge(engine, engine.plan(Document(route)), original, choose_patches(original.base))
    found: dict[str, Any] = {name: round(min(psnr(pixels, truth), 99.0), 3) for name, pixels in pictures.items()}
    found |= {f"ssim {name}": round(similarity(pictures[name], truth), 4) for name in ("in", "auto", "full")}
    sharpened = [step.kind for step in route if step.kind in _SHARPEN]
    if sharpened:
        without = Route(tuple(step for step in route if step.kind not in _SHARPEN))
        found["ssim unsharpened"] = round(similarity(_rendered(engine, without), truth), 4)
    if made.pixels.shape == made.noisy.shape and kind.startswith("sound"):
        found["kept"] = round(min(psnr(pictures["auto"], pictures["in"]), 99.0), 3)
    return found | {
        "kind": kind,
        "photo": stem,
        "measured": [round(measured.luminance, 3), round(measured.colour, 3)],
        "true": [round(float(value), 3) for value in _true_noise(made, told)],
        "doubt": [round(float(value), 3) for value in measured.doubt],
        "route": [step.kind for step in route],
        "harm": [f"{finding.what} {finding.size:.2g}" for finding in report.harm],
    }


def show(runs: list[dict[str, Any]]) -> list[str]:
    """Return the tables as lines of Markdown, and print them."""
    by_kind: dict[str, list[dict]] = defaultdict(list)
    for run in runs:
        by_kind[run["kind"]].append(run)
    headings = ("kind", "in", "auto", "full", "told", "full - told", "auto - full", "auto - in", "measured/true")
    headings = (*headings, "within doubt", "harm")
    lines = ["| " + " | ".join(headings) + " |", "|" + "---|" * len(headings)]
    shown = table("Sweep: means in dB; differences mean, worst (photograph)", *headings)
    for kind in [*KINDS, *HELD_BACK_KINDS]:
        if found := by_kind.get(kind):
            row = [kind, *_row(found)]
            shown.add_row(*row)
            lines.append("| " + " | ".join(row) + " |")
    console.print(shown)
    lines += ["", *_false_finds(runs)]
    console.print("\n".join(lines[-6:]))
    return lines


def _row(found: list[dict]) -> list[str]:
    means = [f"{np.mean([run[name] for run in found]):.1f}" for name in ("in", "auto", "full", "told")]
    apart = [_apart(found, *pair) for pair in (("full", "told"), ("auto", "full"), ("auto", "in"))]
    noisy = [run for run in found if run["true"][0] > _FLOOR]
    ratios = np.array([run["measured"][0] / run["true"][0] for run in noisy])
    told, doubt = f"{max(run['measured'][0] for run in found):.1f} levels", ""
    if noisy:
        told = f"{ratios.min():.2f}-{ratios.max():.2f}"
        within = np.abs(np.log(np.maximum(ratios, 1e-3))) < [run["doubt"][0] + 0.02 for run in noisy]
        doubt = f"{100 * within.mean():.0f} %"
    harm = Counter(harm.split()[0] for run in found for harm in run["harm"])
    return [*means, *apart, told, doubt, ", ".join(f"{n} {what}" for what, n in harm.items())]


def _apart(found: list[dict], first: str, second: str) -> str:
    differences = [(run[first] - run[second], run["photo"]) for run in found]
    worst = min(differences)
    return f"{np.mean([d for d, _ in differences]):+.2f}, {worst[0]:+.1f} ({worst[1]})"


def _false_finds(runs: list[dict]) -> list[str]:
    """Return lines on proposals that should not be there, and on those of sharpening that did not help."""
    false = Counter(
        step for run in runs for step in set(run["route"]) if step in _ANSWERED and run["kind"] not in _ANSWERED[step]
    )
    sharpened = [run for run in runs if "ssim unsharpened" in run]
    helped = sum(run["ssim auto"] > run["ssim unsharpened"] for run in sharpened)
    lifted = sum("exposure" in run["route"] for run in runs)
    lost = [(run["auto"] - run["in"], run["kind"], run["photo"]) for run in runs]
    below = sorted(run for run in lost if run[0] < -0.05)
    words = ", ".join(f"{kind} {photo} {loss:+.1f}" for loss, kind, photo in below[:12])
    return [
        f"{len(runs)} runs. Steps proposed without their reason: {dict(false) or 'none'}.",
        f"Sharpening proposed in {len(sharpened)} runs, with a higher SSIM in {helped}. Exposure proposed in {lifted}.",
        f"Below their input: {len(below)} ({words}).",
        f"Harm by their own judgement: {sum(bool(run['harm']) for run in runs)}.",
    ]


def load(path: Path) -> list[dict[str, Any]]:
    """Return the runs of a file."""
    return [json.loads(line) for line in path.read_text().splitlines()] if path.exists() else []


@click.command(help=__doc__.splitlines()[0])
@click.option("--kinds", "names", default="", help="Names of kinds, separated by semicolons; all by default.")
@click.option("--photos", "which", type=click.Choice(list(_PICTURES)), default="held", show_default=True)
@click.option("--jobs", default=2, show_default=True)
@click.option("--out", type=click.Path(path_type=Path), default=Path("sweep.jsonl"), show_default=True)
@click.option("--table", "written", type=click.Path(path_type=Path), help="Also write the table as Markdown.")
def main(names: str, which: str, jobs: int, out: Path, written: Path | None) -> None:
    """Make the runs that are not there yet, and print the table."""
    wanted = names.split(";") if names else [*KINDS, *(() if which == "chosen" else HELD_BACK_KINDS)]
    photos = photos_of(which)
    there = {(run["kind"], run["photo"]) for run in load(out)}
    order = [(kind, stem) for stem in photos for kind in wanted if (kind, stem) not in there]
    with ProcessPoolExecutor(jobs) as pool, open(out, "a") as file:
        jobs_of = [pool.submit(score, kind, stem, photos[stem]) for kind, stem in order]
        for number, job in enumerate(jobs_of, 1):
            file.write(json.dumps(job.result()) + "\n")
            file.flush()
            print(f"\r{number} of {len(order)}", end="", flush=True)
    runs = [run for run in load(out) if run["photo"] in photos and run["kind"] in wanted]
    lines = show(runs)
    if written is not None:
        about = f"Means over {len(photos)} {_PICTURES[which]}, in dB; differences: mean, worst (its picture)."
        written.write_text("\n".join(["# Sweep", "", about, "", *lines]) + "\n")
