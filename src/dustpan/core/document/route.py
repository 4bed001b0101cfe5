"""Steps and routes: frozen values that share structure."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from dustpan.core.document.kinds import STAGES, describe_kind
from dustpan.core.document.params import Params

#: How a step's result is laid over its input; the laws themselves are in `filters.blend`.
BLENDS = (
    "replace",
    "overlay",
    "soft_light",
    "hard_light",
    "linear_light",
    "vivid_light",
    "lighten",
    "darken",
    "luminance_only",
    "colour_only",
)
#: How a mask part joins those before it.
OPERATIONS = ("add", "subtract", "intersect")
MAX_FEATHER = 100.0  # px


@dataclass(frozen=True)
class Part:
    """One part of a Where: the name of its kind, its settings, and how it joins the parts before it.

    Attributes
    ----------
    kept : the Where that it names, once the route has looked it up; no part of a file.
    """

    id: str
    kind: str
    params: Params
    op: str = "add"
    invert: bool = False
    on: bool = True
    kept: Where | None = None


@dataclass(frozen=True)
class Where:
    """A step's mask: parts folded in order; no parts means everywhere.

    Attributes
    ----------
    parts : see `Part`.
    invert : whether the folded mask is inverted.
    feather : blur of the mask's rim, px of the full picture.
    origin : "from" in files: what the parts look at, "source" or the step's "input".
    """

    parts: tuple[Part, ...] = ()
    invert: bool = False
    feather: float = 0.0
    origin: str = "source"

    @property
    def everywhere(self) -> bool:
        """Whether the mask leaves nothing out."""
        return not self.invert and not any(part.on for part in self.parts)

    def uses(self, name: str) -> bool:
        """Whether a part refers to the Where that is kept under a name."""
        return any(part.params.refers_to == name for part in self.parts)

    def stands_for(self, name: str) -> bool:
        """Whether it is the Where that is kept under a name, and nothing else."""
        plain = len(self.parts) == 1 and not self.invert and not self.feather
        return plain and self.uses(name) and self.parts[0].on and not self.parts[0].invert

    def renamed(self, name: str, new: str) -> Where:
        """Return it with parts that refer to a new name instead of another."""

        def rename(part: Part) -> Part:
            return replace(part, params=part.params.referring_to(new)) if part.params.refers_to == name else part

        return replace(self, parts=tuple(rename(part) for part in self.parts))


@dataclass(frozen=True)
class Step:
    """One card of the route: a kind, its settings, its Mix and its Where.

    Attributes
    ----------
    id : unique in its route.
    kind : name of its kind.
    on : whether it works.
    name : the user's own name for it, or empty.
    mix : 0 to 1, how much of the result is laid over the input.
    blend : one of `BLENDS`.
    extra : entries of a remedy that are kept untouched.
    """

    id: str
    kind: str
    params: Params
    on: bool = True
    name: str = ""
    mix: float = 1.0
    blend: str = "replace"
    where: Where = field(default_factory=Where)
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False)

    @property
    def title(self) -> str:
        """Its own name, or its kind's."""
        return self.name or describe_kind(self.kind).label

    @property
    def develops(self) -> bool:
        """Whether it turns a mosaic into a picture."""
        return describe_kind(self.kind).develops

    @property
    def takes_mosaic(self) -> bool:
        """Whether it may stand before the development of a mosaic."""
        return describe_kind(self.kind).takes_mosaic

    @property
    def plain(self) -> bool:
        """Whether its result replaces the input everywhere."""
        return self.mix >= 1 and self.where.everywhere and self.blend == "replace"

    @property
    def can_work(self) -> bool:
        """Whether its switch and its Mix let it change anything."""
        return self.on and self.mix > 0


def new_step(kind: str, step_id: str, params: Params | None = None) -> Step:
    """Return a step of a kind, by default with its default settings."""
    described = describe_kind(kind)
    return Step(step_id, kind, params or described.params_type(), blend=described.default_blend)


@dataclass(frozen=True)
class Route:
    """The ordered steps a picture passes through.

    Attributes
    ----------
    wheres : names and masks that its steps share.
    """

    steps: tuple[Step, ...] = ()
    wheres: tuple[tuple[str, Where], ...] = ()

    def __iter__(self) -> Iterator[Step]:
        return iter(self.steps)

    def __len__(self) -> int:
        return len(self.steps)

    def of(self, steps: tuple[Step, ...]) -> Route:
        """Return a route of other steps with the same kept Wheres."""
        return Route(steps, self.wheres)

    def kept(self, name: str) -> Where | None:
        """Return the Where that is kept under a name, or None."""
        return dict(self.wheres).get(name)

    def keeping(self, name: str, where: Where | None) -> Route:
        """Return the route with a Where kept under a name, or without that name."""
        wheres = dict(self.wheres)
        if where is None:
            wheres.pop(name, None)
        else:
            wheres[name] = where
        return Route(self.steps, tuple(wheres.items()))

    def renamed(self, name: str, new: str) -> Route:
        """Return the route with a kept Where under another name, wherever it is used."""
        wheres = tuple((new if old == name else old, where.renamed(name, new)) for old, where in self.wheres)
        return Route(tuple(replace(step, where=step.where.renamed(name, new)) for step in self.steps), wheres)

    def forgetting(self, name: str) -> Route:
        """Return the route without a kept Where; what stands for it gets its parts."""
        kept = self.kept(name) or Where()

        def own(where: Where) -> Where:
            return kept if where.stands_for(name) else where

        wheres = tuple((other, own(where)) for other, where in self.wheres if other != name)
        return Route(tuple(replace(step, where=own(step.where)) for step in self.steps), wheres)

    def resolved(self, where: Where, within: tuple[str, ...] = ()) -> Where:
        """Return a Where whose parts that refer to a kept one hold it; what leads back to itself covers nothing."""

        def look_up(part: Part) -> Part:
            name = part.params.refers_to
            if name is None or name in within:
                return part
            kept = self.kept(name)
            return part if kept is None else replace(part, kept=self.resolved(kept, (*within, name)))

        if all(part.params.refers_to is None for part in where.parts):
            return where
        return replace(where, parts=tuple(look_up(part) for part in where.parts))

    def find(self, step_id: str | None) -> Step | None:
        """Return the step of that id, or None."""
        return next((step for step in self.steps if step.id == step_id), None)

    def first_of(self, kind: str) -> Step | None:
        """Return the first step of a kind, or None."""
        return next((step for step in self.steps if step.kind == kind), None)

    def index(self, step_id: str) -> int:
        """Return the index of a step; raises KeyError when it is not in the route."""
        for index, step in enumerate(self.steps):
            if step.id == step_id:
                return index
        raise KeyError(step_id)

    def with_step(self, step: Step) -> Route:
        """Return the route with the step of the same id replaced."""
        return self.of(tuple(step if old.id == step.id else old for old in self.steps))

    def without(self, step_id: str) -> Route:
        """Return the route without that step."""
        return self.of(tuple(step for step in self.steps if step.id != step_id))

    def inserted(self, step: Step, index: int) -> Route:
        """Return the route with a new step at that index."""
        return self.of((*self.steps[:index], step, *self.steps[index:]))

    def carried(self) -> Route:
        """Return the route as it suits other pictures: without places that belong to one."""
        return self.of(tuple(replace(step, params=step.params.carried()) for step in self.steps))

    def before(self, step_id: str | None) -> Route:
        """Return the steps before one, or the whole route when it is not there."""
        return self if self.find(step_id) is None else self.of(self.steps[: self.index(step_id or "")])

    def free_id(self, kind: str) -> str:
        """Return an id that no step has: the kind, with a number from the second on."""
        taken = {step.id for step in self.steps}
        names = itertools.chain([kind], (f"{kind}_{n}" for n in itertools.count(2)))
        return next(name for name in names if name not in taken)

    def index_for(self, kind: str) -> int:
        """Return where a new step is inserted: after the last step of its own or an earlier stage."""
        rank = STAGES.index(describe_kind(kind).stage)
        ranks = [STAGES.index(describe_kind(step.kind).stage) for step in self.steps]
        return max((index + 1 for index, own in enumerate(ranks) if own <= rank), default=0)

    def original(self, *, mosaic: bool) -> Route:
        """Return the route of the picture as it came: none; of a mosaic its development alone.

        A mosaic is developed as this route says, or as the camera did when this route leaves it out.
        """
        if not mosaic:
            return Route()
        return Route(tuple(step for step in self.steps if step.develops) or (new_step("develop", "develop"),))

    def tone_only(self) -> Route:
        """Return the Tone steps alone: what the route is judged against.

        Light that was raised on purpose is no harm, and raises noise itself.
        """
        return self.of(tuple(step for step in self.steps if describe_kind(step.kind).stage == "Tone"))

    def mosaic_faults(self) -> list[str]:
        """Return what is wrong with the route for a sensor's mosaic, one line each.

        A mosaic is developed exactly once, and only steps that can work on it stand before.
        """
        developing = [index for index, step in enumerate(self.steps) if step.develops]
        if len(developing) != 1:
            return [f"a raw picture is developed exactly once; this route has {len(developing)} such steps"]
        step = self.steps[developing[0]]
        if not step.on or step.mix < 1 or not step.where.everywhere:
            return ["the development of a raw picture can't be turned off, mixed or masked"]
        wrong = [describe_kind(s.kind).label for s in self.steps[: developing[0]] if not s.takes_mosaic]
        return [f"{name} can't stand before the development of a raw picture" for name in wrong]

    def fitted(self, *, mosaic: bool, develop: Route) -> Route:
        """Return the route as it can be used on a picture of another kind.

        A mosaic gets the development of `develop` where this route has none, behind the leading steps that work on a
        mosaic; other pictures leave development out.
        """
        if not mosaic:
            return self.of(tuple(step for step in self.steps if not step.develops))
        if any(step.develops for step in self.steps):
            return self
        leading = [step for step in self.steps if step.takes_mosaic]
        rest = [step for step in self.steps if step not in leading]
        return self.of((*leading, *develop.original(mosaic=True), *rest))
