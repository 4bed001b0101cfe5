"""What was done to one picture, as plain values that files hold, and back."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from dustpan.core.document.history import Document
from dustpan.core.document.remedy import FORMAT, Remedy, read_remedy, remedy_to_json
from dustpan.core.document.route import Route

_FORMAT, _VERSION = "dustpan-work", 1


@dataclass(frozen=True)
class Work:
    """What was done to one picture.

    Attributes
    ----------
    route : as it was left.
    takes : routes by their names.
    chosen_id : id of the chosen step.
    written : whether the route was exported or saved as it stands.
    view : how the picture was looked at, as plain values: see `ui.looked_at`.
    """

    route: Route
    takes: Mapping[str, Route] = field(default_factory=dict)
    chosen_id: str | None = None
    written: bool = False
    view: Mapping[str, Any] = field(default_factory=dict)

    @property
    def documents(self) -> dict[str, Document]:
        """The takes as documents."""
        return {name: Document(route) for name, route in self.takes.items()}


def work_to_json(work: Work) -> dict[str, Any]:
    """Return plain values."""
    return {
        "format": _FORMAT,
        "version": _VERSION,
        "route": remedy_to_json(Remedy(work.route)),
        "takes": {name: remedy_to_json(Remedy(route)) for name, route in work.takes.items()},
        "chosen": work.chosen_id,
        "written": work.written,
        "view": dict(work.view),
    }


def work_from_json(data: dict[str, Any], where: str) -> Work:
    """Return the work that plain values hold; a remedy alone, as the first versions kept it, is a route.

    Raises ValueError, TypeError, KeyError, AttributeError or RemedyError where they hold none.
    """
    if data.get("format") == FORMAT:
        return Work(_route(data, where))
    if data.get("format") != _FORMAT or data.get("version") != _VERSION:
        raise ValueError(where)
    takes = {str(name): _route(take, where) for name, take in data["takes"].items()}
    chosen, view = data["chosen"], data["view"]
    return Work(
        _route(data["route"], where),
        takes,
        chosen if isinstance(chosen, str) else None,
        bool(data["written"]),
        view if isinstance(view, dict) else {},
    )


def _route(data: dict[str, Any], where: str) -> Route:
    return read_remedy(json.dumps(data), where=where).route
