"""Work a list of pictures: several at once on a thread each, or one with its blocks spread over all threads."""

from __future__ import annotations

import time
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

from dustpan.core.document.remedy import Remedy, remedy_to_json, unmet_wishes
from dustpan.core.document.route import Document, Route
from dustpan.core.errors import Cancelled, DustpanError
from dustpan.core.judge.propose import propose_route
from dustpan.core.judge.report import judge, patch_places
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine, Plan
from dustpan.core.steps import kinds, original_of
from dustpan.core.work.pool import Pool, Token
from dustpan.files import read_picture
from dustpan.files.save import FORMATS, Format, format_for, losses, render_native, save_picture

_BUDGET = 512 << 20  # bytes of blocks an engine keeps
#: progress(number of inputs done, share of the next one)
Progress = Callable[[float], None]


@dataclass(frozen=True)
class Order:
    """What was asked for, the same for every input; without a remedy a route is proposed for each."""

    remedy: Remedy | None
    format: str | None
    quality: int
    overwrite: bool
    sources: tuple[Path, ...]


@dataclass
class Tally:
    """What was done and what failed, in the order of the inputs."""

    outputs: list[dict] = field(default_factory=list)
    failed: list[dict] = field(default_factory=list)
    interrupted: bool = False

    def fail(self, source: Path, error: str) -> None:
        """Note that an input failed."""
        self.failed.append({"source": str(source), "error": error})


def run_batch(
    targets: dict[Path, Path], order: Order, *, jobs: int, token: Token, progress: Progress = lambda done: None
) -> Tally:
    """Work every input into its target; each stands on its own, whatever happens to another.

    jobs : threads altogether. An interruption from the keyboard ends the batch: what is done stays, the rest is told.
    """
    tally = Tally()
    spread = len(targets) < jobs
    pool = Pool(jobs) if spread else None
    outer = ThreadPoolExecutor(1 if spread else jobs)
    # One after the other, a picture's own share moves the bar; side by side, each picture as a whole.
    tasks: dict[Path, Future] = {
        picture: outer.submit(
            _work, picture, target, order, pool, token, partial(_within, progress, number) if spread else _nothing
        )
        for number, (picture, target) in enumerate(targets.items())
    }
    try:
        for number, (picture, task) in enumerate(tasks.items(), start=1):
            try:
                output, error = task.result()
            except Cancelled:
                raise KeyboardInterrupt from None
            tally.outputs.append(output) if output else tally.fail(picture, error)
            progress(number)
    except KeyboardInterrupt:
        token.cancel()
        tally.interrupted = True
    finally:
        outer.shutdown(cancel_futures=True)
        if pool:
            pool.close()
    if tally.interrupted:
        told = {entry["source"] for entry in (*tally.outputs, *tally.failed)}
        for picture in tasks:
            if str(picture) not in told:
                tally.fail(picture, f"{picture}: interrupted.")
    return tally


def _nothing(share: float) -> None:
    """Stand in for a progress report."""


def _within(progress: Progress, number: int, share: float) -> None:
    progress(number + share)


def _work(picture: Path, target: Path, order: Order, pool, token: Token, report) -> tuple[dict | None, str]:
    """Return what was made of an input, or the line that says why nothing was."""
    token.check()
    try:
        return clean_one(picture, target, order, pool=pool, token=token, report=report), ""
    except Cancelled:
        raise
    except DustpanError as fault:
        return None, str(fault)
    except MemoryError:
        return None, f"{picture}: too large for the memory there is."
    except Exception as fault:  # one input must never end the others
        what = " ".join(str(fault).split())[:200]
        return None, f"{picture}: something went wrong that should not have ({type(fault).__name__}: {what})."


def clean_one(
    picture: Path, target: Path, order: Order, *, pool: Pool | None, token: Token, report: Progress = _nothing
) -> dict[str, Any]:
    """Read, clean and save one picture; return what `process --json` says of it."""
    begun = time.perf_counter()
    source = read_picture(picture)
    fmt = FORMATS[order.format] if order.format else format_for(target, source.pixels.dtype)
    engine = Engine(source, budget=_BUDGET, noise=order.remedy.fixed_noise if order.remedy else None, pool=pool)
    route = order.remedy.route if order.remedy else propose_route(engine, check=token.check)
    plan = engine.plan(Document(route), check=token.check)
    pixels = render_native(engine, plan, fmt, pool=pool, token=token, progress=report)
    token.check()
    harm = harm_done(engine, plan, token)
    wishes = unmet_wishes(order.remedy) if order.remedy else []
    save_picture(
        target,
        pixels,
        source.metadata,
        fmt,
        quality=order.quality,
        overwrite=order.overwrite,
        sources=order.sources,
        layers=source.layers,
        alpha_kind=source.alpha_kind,
        check=token.check,
    )
    return {
        "source": str(picture),
        "out": str(target),
        "format": fmt.name,
        "width": source.width,
        "height": source.height,
        "steps": [stage.step.kind for stage in plan.working],
        "messages": [*source.messages, *_left_out(route, source), *wishes, *losses(source, fmt)],
        "seconds": round(time.perf_counter() - begun, 3),
        "remedy": remedy_to_json(used_remedy(order.remedy, engine, plan, route, source, fmt)),
        "harm": harm,
    }


def harm_done(engine: Engine, plan: Plan, token: Token) -> list[dict]:
    """Return the harm that a route has done: what, and how much."""
    if not plan.working:
        return []
    steps = Route(tuple(stage.step for stage in plan.working))
    original = engine.plan(original_of(Document(steps)), check=token.check)
    report = judge(engine, plan, original, patch_places(original), check=token.check)
    return [{"what": found.what, "size": round(found.size, 4)} for found in report.harm]


def used_remedy(given: Remedy | None, engine: Engine, plan: Plan, route: Route, source: Source, fmt: Format) -> Remedy:
    """Return the remedy that makes these bytes again: the route, and what its automatic values came to."""
    resolved = {
        stage.step.id: stage.params.to_json(all_values=True)
        for stage in (*plan.mended, *plan.prepared)
        if getattr(stage.step.params, "auto", False)
    }
    made_on = {
        "noise": engine.base.noise.to_json(),
        "source_kind": fmt.name if source.mosaic is None else "dng",
        "resolved": resolved,
    }
    if given is None:
        return Remedy(route, name=source.name, camera=source.metadata.camera, iso=source.metadata.iso, made_on=made_on)
    kept = given.made_on if given.scaling == "fixed" else made_on
    return Remedy(
        given.route,
        given.name,
        given.camera,
        given.iso,
        given.note,
        {**kept, "resolved": resolved},
        given.scaling,
        given.output,
        given.extra,
    )


def _left_out(route: Route, source: Source) -> list[str]:
    """Return what is to be said about steps that don't apply to a picture."""
    if source.mosaic is not None:
        return []
    return [
        f"{kinds()[s.kind].label} was left out: this is no raw picture." for s in route if kinds()[s.kind].only_mosaic
    ]
