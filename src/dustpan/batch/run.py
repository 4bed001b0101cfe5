"""Work a list of pictures: several at once on a thread each, or one with its blocks spread over all threads."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path
from typing import Any

from dustpan.batch.export import Also, export_picture
from dustpan.core.document.history import Document
from dustpan.core.document.kinds import describe_kind
from dustpan.core.document.remedy import Remedy, remedy_to_json, unmet_wishes
from dustpan.core.document.route import Route
from dustpan.core.document.viewing import Viewing
from dustpan.core.errors import Cancelled, DustpanError, RemedyError
from dustpan.core.judge.propose import propose_route
from dustpan.core.judge.report import judge
from dustpan.core.judge.spots import choose_patches
from dustpan.core.noise.bare import areas_of
from dustpan.core.noise.fixed import fixed_noise, suited_remedy
from dustpan.core.picture.region import Region, Size
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine, bare_places
from dustpan.core.render.finishing import Finish
from dustpan.core.render.output import Progress, no_progress
from dustpan.core.render.plan import Plan
from dustpan.core.render.resizing import fit_within
from dustpan.core.render.store import Stores
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Pool
from dustpan.files import read_picture
from dustpan.files.save import FORMATS, Format, format_for, losses

_BUDGET = 128 << 20  # bytes of blocks that all engines of a batch keep together
#: Called with the number of inputs done, shares of those under way added, and one of the latter.
BatchProgress = Callable[[float, Path], None]
#: Called with each input in their order, what `clean_one` returned or None, and why it failed or nothing.
Told = Callable[[Path, dict | None, str], None]


@dataclass(frozen=True)
class Order:
    """What was asked for, the same for every input; without a remedy a route is proposed for each.

    Attributes
    ----------
    visible : noise that proposals may leave, in units of what can just be seen; else what the remedy was made with.
    size : width and height that outputs are reduced to fit within; else what the remedy wishes.
    viewing : what their last sharpening is for; else what the remedy wishes.
    lift : whether a proposed route may lift dark pictures.
    bare : places that are known to be empty, in px of every picture, where the noise is measured; else those that the
        remedy names.
    shelf : remedies of which a picture gets the one that suits its camera and ISO, in place of `remedy`.
    also : other files that are written of each picture.
    with_original : whether outputs with pages hold the picture as it came as a second one.
    """

    remedy: Remedy | None
    format: str | None
    quality: int
    overwrite: bool
    sources: tuple[Path, ...]
    visible: float | None = None
    size: Size | None = None
    viewing: Viewing | None = None
    lift: bool = False
    bare: tuple[Region, ...] = ()
    shelf: tuple[Remedy, ...] = ()
    also: tuple[Also, ...] = ()
    with_original: bool = False

    def suiting(self, source: Source) -> Order:
        """Return the order for one picture."""
        if not self.shelf:
            return self
        facts = source.metadata
        return replace(self, remedy=suited_remedy(self.shelf, facts.camera, facts.iso), shelf=())

    @property
    def finish(self) -> Finish:
        """The size and viewing asked for, else those that the remedy wishes."""
        wished = Finish(self.remedy.output_size, self.remedy.viewing) if self.remedy else Finish()
        return Finish(self.size or wished.size, self.viewing or wished.viewing)

    @property
    def may_stay(self) -> float:
        """The noise that may stay, as asked for, else as the remedy was made with."""
        made_on = self.remedy.made_on if self.remedy else {}
        return float(made_on.get("visible", 1.0)) if self.visible is None else self.visible


@dataclass
class Tally:
    """What was done and what failed, in the order of the inputs."""

    outputs: list[dict] = field(default_factory=list)
    failed: list[dict] = field(default_factory=list)
    interrupted: bool = False

    def fail(self, source: Path, error: str) -> None:
        """Note that an input failed."""
        self.failed.append({"source": str(source), "error": error})


class _Shares:
    """How far all inputs are, updated from several threads."""

    def __init__(self, pictures: Iterable[Path], progress: BatchProgress):
        self._shares = dict.fromkeys(pictures, 0.0)
        self._progress = progress
        self._lock = threading.Lock()

    def of(self, picture: Path) -> Progress:
        """Return what takes the share of one input that is done."""

        def report(share: float) -> None:
            with self._lock:
                self._shares[picture] = share
                self._progress(sum(self._shares.values()), picture)

        return report


def tell_nothing(*about: object) -> None:
    """Tell nobody."""


def run_batch(
    targets: dict[Path, Path],
    order: Order,
    *,
    jobs: int,
    token: Token,
    progress: BatchProgress = tell_nothing,
    told: Told = tell_nothing,
) -> Tally:
    """Work every input into its target; each stands on its own, whatever happens to another.

    Fewer inputs than threads are worked one after the other with their blocks spread over the threads; else each
    thread works one input at a time. An interruption from the keyboard ends the batch: finished outputs stay.

    Parameters
    ----------
    targets : the output of each input.
    jobs : threads altogether.
    progress, told : called from any thread, and from this one.
    """
    tally, shares, stores = Tally(), _Shares(targets, progress), Stores.of(_BUDGET)
    spread = len(targets) < jobs
    pool = Pool(jobs) if spread else None
    outer = ThreadPoolExecutor(1 if spread else jobs)
    tasks = {
        picture: outer.submit(work_one, picture, target, order, stores, pool, token=token, progress=shares.of(picture))
        for picture, target in targets.items()
    }
    try:
        _collect(tasks, tally, told)
    except KeyboardInterrupt:
        token.cancel()
        tally.interrupted = True
    finally:
        outer.shutdown(cancel_futures=True)
        if pool:
            pool.close()
    if tally.interrupted:
        interrupt_rest(targets, tally, told)
    return tally


def interrupt_rest(pictures: Iterable[Path], tally: Tally, told: Told) -> None:
    """Note that pictures of which nothing has come were interrupted."""
    done = {entry["source"] for entry in (*tally.outputs, *tally.failed)}
    for picture in pictures:
        if str(picture) not in done:
            tally.fail(picture, f"{picture}: interrupted.")
            told(picture, None, f"{picture}: interrupted.")


def _collect(tasks: dict[Path, Future], tally: Tally, told: Told) -> None:
    """Wait for the tasks in their order and note what came of them; raises KeyboardInterrupt after a cancel."""
    for picture, task in tasks.items():
        try:
            output, error = task.result()
        except Cancelled:
            raise KeyboardInterrupt from None
        tally.outputs.append(output) if output else tally.fail(picture, error)
        told(picture, output, error)


def work_one(
    picture: Path,
    target: Path,
    order: Order,
    stores: Stores | None = None,
    pool: Pool | None = None,
    *,
    token: Token,
    progress: Progress = no_progress,
) -> tuple[dict | None, str]:
    """Return what was made of an input, or the line that says why nothing was."""
    token.check()
    progress(0.0)
    try:
        return clean_one(picture, target, order, stores=stores, pool=pool, token=token, progress=progress), ""
    except Cancelled:
        raise
    except DustpanError as fault:
        return None, str(fault)
    except MemoryError:
        return None, f"{picture}: not enough memory for a picture of this size."
    except Exception as fault:  # one input must never end the others
        what = " ".join(str(fault).split())[:200]
        return None, f"{picture}: unexpected error ({type(fault).__name__}: {what})."
    finally:
        progress(1.0)


def clean_one(
    picture: Path,
    target: Path,
    order: Order,
    *,
    pool: Pool | None,
    token: Token,
    stores: Stores | None = None,
    progress: Progress = no_progress,
) -> dict[str, Any]:
    """Read, clean and save one picture; return what `process --json` says of it.

    stores : shared with other pictures, which together keep no more than one would alone.
    """
    begun = time.perf_counter()
    source = read_picture(picture)
    order = order.suiting(source)
    fmt = FORMATS[order.format] if order.format else format_for(target, source.pixels.dtype)
    noise = fixed_noise(order.remedy) if order.remedy else None
    bare, stores = areas_of(order.bare, source), stores or Stores.of(_BUDGET)
    engine = Engine(source, stores=stores, noise=noise, pool=pool, visible=order.may_stay, bare=bare)
    route = _route_for(engine, order, token)
    engine.bare = bare_places(route)  # its remedy says all that makes these bytes
    plan = engine.plan(Document(route), check=token.check)
    harm = [] if fmt.raw else judge_harm(engine, plan, token)
    write = partial(
        export_picture,
        engine,
        plan,
        quality=order.quality,
        overwrite=order.overwrite,
        sources=order.sources,
        pool=pool,
        token=token,
        with_original=order.with_original,
    )
    unwritten = write(target, fmt, finish=order.finish, progress=progress)
    others = [
        (each.beside(target), FORMATS[each.format], Finish(each.size, order.finish.viewing)) for each in order.also
    ]
    for beside, other, finish in others:
        write(beside, other, finish=finish)
    wishes = unmet_wishes(order.remedy) if order.remedy else []
    width, height = fit_within((source.width, source.height), None if fmt.raw else order.finish.size)
    return {
        "source": str(picture),
        "out": str(target),
        "format": fmt.name,
        "width": width,
        "height": height,
        "steps": _steps_used(plan, fmt),
        "messages": [*source.messages, *_left_out(route, source), *wishes, *losses(source, fmt), *unwritten],
        "seconds": round(time.perf_counter() - begun, 3),
        "remedy": remedy_to_json(used_remedy(order, engine, plan, route, fmt)),
        "harm": harm,
        "also": [str(each.beside(target)) for each in order.also],
    }


def _route_for(engine: Engine, order: Order, token: Token) -> Route:
    """Return the route of the remedy, or a proposed one; the bare places asked for stand in its noise steps."""
    if order.remedy is None:
        return propose_route(engine, lift=order.lift, check=token.check)
    route = order.remedy.route_for(engine.source.key)
    if not order.bare:
        return route
    own = [step for step in route if "bare" in step.params.described()]
    if not own:
        raise RemedyError("--bare", ["the remedy has no noise step that measures in bare places"])
    for step in own:
        values = step.params.to_json() | {"bare": engine.bare}
        route = route.with_step(replace(step, params=step.params.from_json(values, where="--bare")))
    return route


def _steps_used(plan: Plan, fmt: Format) -> list[str]:
    """Return the kinds of the steps that had something to look for, whether they found it or not."""
    if fmt.raw:
        return [step.kind for step in plan.before_development]
    return [prepared.step.kind for prepared in plan.all_prepared if not prepared.kind.idle(prepared.params)]


def judge_harm(engine: Engine, plan: Plan, token: Token) -> list[dict]:
    """Return the harm that a route has done: what, and how much."""
    if not plan.all_active:
        return []
    route = Route(tuple(prepared.step for prepared in plan.all_active))
    mosaic = engine.source.mosaic is not None
    original = engine.plan(Document(route.original(mosaic=mosaic)), check=token.check)
    report = judge(engine, plan, original, choose_patches(original.base), check=token.check)
    return [{"what": found.what, "size": round(found.size, 4)} for found in report.harm]


def used_remedy(order: Order, engine: Engine, plan: Plan, route: Route, fmt: Format) -> Remedy:
    """Return the remedy that makes these bytes again: the route, and what its automatic values came to."""
    source, given, finish = engine.source, order.remedy, order.finish
    output = dict(given.output) if given else {}
    if finish.size is not None:
        output["size"] = "{}x{}".format(*finish.size)
    if finish.viewing is not None:
        output["viewing"] = finish.viewing.to_json()
    resolved = {
        prepared.step.id: prepared.params.to_json(all_values=True)
        for prepared in plan.all_prepared
        if getattr(prepared.step.params, "auto", False)
    }
    made_on = {
        "noise": engine.noise.to_json(),
        "source_kind": fmt.name if source.mosaic is None else "dng",
        "resolved": resolved,
        "visible": engine.visible,
        "picture": source.key,
    }
    if given is None:
        camera, iso = source.metadata.camera, source.metadata.iso
        return Remedy(route, name=source.name, camera=camera, iso=iso, made_on=made_on, output=output)
    kept = given.made_on if given.scaling == "fixed" else made_on
    return replace(given, route=route, made_on={**kept, "resolved": resolved, "visible": engine.visible}, output=output)


def _left_out(route: Route, source: Source) -> list[str]:
    """Return what is to be said about steps that don't apply to a picture."""
    if source.mosaic is not None:
        return []
    developing = [step for step in route if step.develops]
    return [f"{describe_kind(step.kind).label} was left out: this is no raw picture." for step in developing]
