"""What two routes differ in, in words."""

from __future__ import annotations

from typing import Any

from dustpan.core.document.params import Param, Params
from dustpan.core.document.route import Route, Step


def differences(route: Route, other: Route) -> list[str]:
    """Return in words what another route has otherwise: its steps, then their settings, in its order."""
    own, others = ({step.id: step for step in steps} for steps in (route, other))
    words = [f"with {step.title}" for step in other if step.id not in own]
    words += [f"without {step.title}" for step in route if step.id not in others]
    shared = [[step.id for step in steps if step.id in own and step.id in others] for steps in (route, other)]
    if shared[0] != shared[1]:
        words.append("in another order")
    return [*words, *(word for name in shared[1] for word in _of_step(own[name], others[name]))]


def _of_step(step: Step, other: Step) -> list[str]:
    """Return what another state of a step has otherwise."""
    words = []
    if step.on != other.on:
        words.append("on" if other.on else "off")
    if step.name != other.name:
        words.append(f"named {other.name}" if other.name else "without its name")
    words += _of_settings(step.params, other.params)
    if step.mix != other.mix:
        words.append(f"mix {100 * step.mix:.0f} → {100 * other.mix:.0f} %")
    if step.blend != other.blend:
        words.append(f"blend {other.blend.replace('_', ' ')}")
    if step.where != other.where:
        words.append("everywhere" if other.where.everywhere else "another where")
    title = step.title
    return [f"{title}: {', '.join(words)}"] if words else []


def _of_settings(params: Params, other: Params) -> list[str]:
    """Return what settings have otherwise; those that follow the measurement have no values of their own."""
    follows, then_follows = (getattr(side, "auto", False) for side in (params, other))
    words = ["as measured"] if then_follows and not follows else []
    for name, described in type(params).described().items():
        values = [getattr(side, name) for side in (params, other)]
        if name == "auto" or values[0] == values[1] or (then_follows and not described.apart):
            continue
        words.append(_of_value(described, *values, known=described.apart or not follows))
    return words or (["by hand"] if follows and not then_follows else [])


def _of_value(described: Param, value: Any, other: Any, *, known: bool) -> str:
    """Return a setting's words; known : whether the first value was at work."""
    label = described.label[:1].lower() + described.label[1:]
    if isinstance(other, bool):
        return f"{label} {'on' if other else 'off'}"
    if isinstance(other, int | float) and not described.form:
        unit = f" {described.unit}" if described.unit else ""
        return f"{label} {value:g} → {other:g}{unit}" if known else f"{label} {other:g}{unit}"
    return f"{label} {other.replace('_', ' ')}" if isinstance(other, str) and described.choices else f"other {label}"
