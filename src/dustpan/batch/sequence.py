"""Frames of one sequence get one route and one noise, so that what is cleaned does not flicker from frame to frame."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from dustpan.batch.order import Order
from dustpan.core.document.remedy import Remedy
from dustpan.core.errors import DustpanError
from dustpan.core.judge.propose import propose_route
from dustpan.core.noise.bare import areas_of
from dustpan.core.noise.fixed import fixed_noise
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.work.cancel import Token
from dustpan.files import read_picture

_LOOKED_AT = 5  # frames that the noise is measured in


def sequence_order(order: Order, pictures: Sequence[Path], token: Token) -> Order:
    """Return an order by which all frames get the noise of the one that lies in the middle of those looked at.

    From a shelf all get what suits that frame; where no remedy is given, the route is proposed for it. Steps that
    measure defects still do so in each. Frames that can't be read are passed over; where none can, the order stays.
    """
    if order.remedy is not None and fixed_noise(order.remedy) is not None:
        return order
    found = []
    for picture in spread(pictures, _LOOKED_AT):
        token.check()
        try:
            source = read_picture(picture)
        except DustpanError:
            continue  # reported on its own line, when its turn comes
        found.append((_engine_of(order, source).noise.luminance, picture))
    if not found:
        return order
    middle = sorted(found)[len(found) // 2][1]
    return replace(order, remedy=_remedy_of(order, read_picture(middle), token), shelf=())


def _engine_of(order: Order, source: Source) -> Engine:
    return Engine(source, visible=order.may_stay, bare=areas_of(order.bare, source))


def _remedy_of(order: Order, source: Source, token: Token) -> Remedy:
    engine = _engine_of(order, source)
    given = order.suiting(source).remedy
    if given is None:
        given = Remedy(propose_route(engine, lift=order.lift, check=token.check), name="Sequence")
    made_on = dict(given.made_on) | {"noise": engine.noise.to_json(), "visible": order.may_stay}
    return replace(given, scaling="fixed", made_on=made_on)


def spread(pictures: Sequence[Path], count: int) -> list[Path]:
    """Return so many pictures spread evenly over a list, its ends among them."""
    if len(pictures) <= count:
        return list(pictures)
    return [pictures[round(n * (len(pictures) - 1) / (count - 1))] for n in range(count)]
