"""Read, clean and save one picture, and say what was done."""

from __future__ import annotations

import time
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

from dustpan.batch.export import export_picture
from dustpan.batch.order import Order
from dustpan.core.document.history import Document
from dustpan.core.document.kinds import describe_kind
from dustpan.core.document.remedy import Remedy, unmet_wishes
from dustpan.core.document.remedy_format import remedy_to_json
from dustpan.core.document.route import Route
from dustpan.core.errors import RemedyError
from dustpan.core.judge.propose import propose_route
from dustpan.core.judge.report import find_harm
from dustpan.core.judge.spots import choose_patches
from dustpan.core.noise.bare import areas_of
from dustpan.core.noise.fixed import fixed_noise
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

BUDGET = 128 << 20  # bytes of blocks that all engines of a batch keep together


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
    bare, stores = areas_of(order.bare, source), stores or Stores.of(BUDGET)
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
    harm = find_harm(engine, plan, original, choose_patches(original.base), check=token.check)
    return [{"what": found.what, "size": round(found.size, 4)} for found in harm]


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
