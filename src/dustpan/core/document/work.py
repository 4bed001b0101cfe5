"""What was done to one picture, as plain values that files hold, and back."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from dustpan.core.document.history import Document
from dustpan.core.document.remedy import Remedy
from dustpan.core.document.remedy_format import FORMAT, read_remedy, remedy_to_json
from dustpan.core.document.route import Route

#: Returns what is wrong with the facts of the picture that a route was made on, one line each.
CheckMadeOn = Callable[[Mapping[str, Any]], list[str]]

_FORMAT, _VERSION = "dustpan-work", 1


@dataclass(frozen=True)
class Work:
    """What was done to one picture.

    Attributes
    ----------
    document : as it was left.
    takes : documents by their names.
    chosen_id : id of the chosen step.
    written : whether the route was exported or saved as it stands.
    view : how the picture was looked at, as plain values: see `ui.looked_at`.
    """

    document: Document = field(default_factory=Document)
    takes: Mapping[str, Document] = field(default_factory=dict)
    chosen_id: str | None = None
    written: bool = False
    view: Mapping[str, Any] = field(default_factory=dict)

    @property
    def route(self) -> Route:
        """The route as it was left."""
        return self.document.route


def work_to_json(work: Work) -> dict[str, Any]:
    """Return plain values."""
    return {
        "format": _FORMAT,
        "version": _VERSION,
        "route": _to_json(work.document),
        "takes": {name: _to_json(document) for name, document in work.takes.items()},
        "chosen": work.chosen_id,
        "written": work.written,
        "view": dict(work.view),
    }


def _to_json(document: Document) -> dict[str, Any]:
    if document.noise is None:
        return remedy_to_json(Remedy(document.route))
    return remedy_to_json(Remedy(document.route, scaling="fixed", made_on={"noise": document.noise}))


def work_from_json(data: dict[str, Any], where: str, check_made_on: CheckMadeOn) -> Work:
    """Return the work that plain values hold; a remedy alone, as the first versions kept it, is a route.

    Raises ValueError, TypeError, KeyError, AttributeError or RemedyError where they hold none.
    """
    if data.get("format") == FORMAT:
        return Work(_document(data, where, check_made_on))
    if data.get("format") != _FORMAT or data.get("version") != _VERSION:
        raise ValueError(where)
    takes = {str(name): _document(take, where, check_made_on) for name, take in data["takes"].items()}
    chosen, view = data["chosen"], data["view"]
    return Work(
        _document(data["route"], where, check_made_on),
        takes,
        chosen if isinstance(chosen, str) else None,
        bool(data["written"]),
        view if isinstance(view, dict) else {},
    )


def _document(data: dict[str, Any], where: str, check_made_on: CheckMadeOn) -> Document:
    return read_remedy(json.dumps(data), where=where, check_made_on=check_made_on).document
