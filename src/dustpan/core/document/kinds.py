"""What a document knows of the kinds it names: words, settings, and their order in lists.

How a kind works is written in `core/steps` and `core/where`; the registry finds the modules there, so that adding one
edits nothing else.
"""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Mapping
from functools import cache
from typing import Any, ClassVar

from dustpan.core.document.checks import nearest
from dustpan.core.document.params import Params
from dustpan.core.errors import RemedyError

#: In the order of a route: defects, light, noise, sharpness, finish.
STAGES = ("Mend", "Tone", "Quiet", "Crisp", "Surface")


class Kind:
    """Words and settings of a kind of step or of mask part.

    Attributes
    ----------
    kind : its name in files.
    label, help : words for the user.
    params_type : the class of its settings.
    """

    kind: ClassVar[str]
    label: ClassVar[str]
    help: ClassVar[str]
    params_type: ClassVar[type[Params]]


class StepDescription(Kind):
    """What a document knows of a kind of step.

    Attributes
    ----------
    stage : one of `STAGES`.
    order : rank within its stage, in lists and proposals.
    default_blend : how a new step is laid over its input.
    develops : it turns a sensor's mosaic into a picture; a route for a mosaic has exactly one such step.
    takes_mosaic : it may also stand before development, and then works on the mosaic.
    """

    stage: ClassVar[str]
    order: ClassVar[int]
    default_blend: ClassVar[str] = "replace"
    develops: ClassVar[bool] = False
    takes_mosaic: ClassVar[bool] = False


def find_kinds(package: str) -> list[Any]:
    """Return the KIND of every module below a package that has one."""
    root = importlib.import_module(package)
    modules = [importlib.import_module(info.name) for info in pkgutil.walk_packages(root.__path__, f"{package}.")]
    return [module.KIND for module in modules if hasattr(module, "KIND")]


@cache
def step_kinds() -> Mapping[str, StepDescription]:
    """Return all kinds of step by name, in the order of the stages."""
    found: list[StepDescription] = find_kinds("dustpan.core.steps")
    found.sort(key=lambda kind: (STAGES.index(kind.stage), kind.order))
    return {kind.kind: kind for kind in found}


@cache
def part_kinds() -> Mapping[str, Kind]:
    """Return all kinds of mask part by name."""
    return {kind.kind: kind for kind in find_kinds("dustpan.core.where")}


def describe_kind(name: str) -> StepDescription:
    """Return a kind of step by name; raises RemedyError with the nearest known name."""
    known = step_kinds()
    if name not in known:
        raise RemedyError("step", [f"unknown kind '{name}'{nearest(name, known)}; known: {', '.join(known)}"])
    return known[name]
