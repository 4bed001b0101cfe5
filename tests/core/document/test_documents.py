"""Remedies, histories, and the layers of the code."""

from __future__ import annotations

import json
import subprocess
import sys

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dustpan.core.document.history import Document, History
from dustpan.core.document.remedy import Remedy
from dustpan.core.document.remedy_format import read_remedy, write_remedy
from dustpan.core.document.route import Route, new_step
from dustpan.core.errors import RemedyError
from dustpan.core.noise.fixed import find_noise_faults, fixed_noise

HEAD = {"format": "dustpan-remedy", "version": 1}


def remedy(**rest) -> str:
    return json.dumps({**HEAD, **rest})


def test_keys_left_out_take_their_defaults():
    read = read_remedy(remedy(steps=[{"kind": "noise"}, {"kind": "exposure", "params": {"ev": 1}}]), where="r.json")
    assert [(s.id, s.on, s.mix, s.blend) for s in read.route] == [
        ("noise", True, 1.0, "replace"),
        ("exposure", True, 1.0, "replace"),
    ]
    assert read.route.steps[1].params.ev == 1.0 and isinstance(read.route.steps[1].params.ev, float)
    assert read.scaling == "measured" and fixed_noise(read) is None


def test_every_fault_is_told_at_once_with_its_field_and_what_was_expected():
    text = remedy(
        iso="fast",
        scaling="loose",
        colour=1,
        steps=[
            {"kind": "nose"},
            {"kind": "noise", "mix": 2, "blend": "multiply", "params": {"luminanse": 3, "colour": 400}},
            {"kind": "exposure", "where": {"feather": -1}},
            {
                "kind": "exposure",
                "where": {"parts": [{"kind": "elipse"}, {"kind": "ellipse", "cx": "left", "op": "xor"}]},
            },
            {"kind": "exposure", "id": "exposure"},
            {"kind": "exposure", "id": "exposure"},
            7,
        ],
    )
    with pytest.raises(RemedyError) as caught:
        read_remedy(text, where="night.json")
    told = str(caught.value)
    assert told.startswith("night.json: ")
    for words in (
        "'iso' is 'fast': expected a whole number",
        "'scaling' is 'loose': expected one of measured, fixed",
        "unknown field 'colour'",
        "steps[0]: unknown kind 'nose' (did you mean 'noise'?)",
        "'mix' is 2: expected a number from 0 to 1",
        "'blend' is 'multiply'",
        "unknown parameter 'luminanse' (did you mean 'luminance'?)",
        "'colour' is 400: expected a number from 0 to 100",
        "'feather' is -1",
        "unknown kind 'elipse' (did you mean 'ellipse'?)",
        "'cx' is 'left': expected a number from -1 to 2",
        "'op' is 'xor'",
        "the id 'exposure' stands twice",
        "steps[6]: 7: expected an object",
    ):
        assert words in told


@pytest.mark.parametrize(
    "text",
    [
        "",
        "{",
        "[]",
        "3",
        '{"format": "other"}',
        json.dumps({**HEAD, "version": 2}),
        remedy(steps=3),
        remedy(made_on=[]),
        remedy(scaling="fixed"),
        remedy(steps=[{"kind": ["noise"]}]),
        remedy(steps=[{"kind": "noise", "blend": {}}]),
        remedy(steps=[{"kind": "noise", "params": 4}]),
        remedy(steps=[{"kind": "noise", "where": 4}]),
    ],
)
def test_what_is_no_remedy_is_refused_by_name(text):
    with pytest.raises(RemedyError, match=r"^here: "):
        read_remedy(text, where="here", check_made_on=find_noise_faults)


@settings(max_examples=60, deadline=None)
@given(
    st.recursive(
        st.none() | st.booleans() | st.floats() | st.text(max_size=5),
        lambda c: (
            st.lists(c, max_size=3)
            | st.dictionaries(
                st.sampled_from(["kind", "params", "where", "mix", "parts", "id", "on", "luminance"]), c, max_size=4
            )
        ),
        max_leaves=12,
    )
)
def test_any_json_is_read_or_refused_never_worse(value):
    try:
        read = read_remedy(json.dumps({**HEAD, "steps": [value, {"kind": "noise", "params": value}]}), where="here")
    except RemedyError:
        return
    assert read_remedy(write_remedy(read), where="again") == read


@settings(max_examples=60, deadline=None)
@given(st.lists(st.sampled_from(["add", "switch", "remove", "undo", "redo"]), max_size=30))
def test_undo_goes_back_to_the_start_and_redo_to_the_end(actions):
    history = History.start(Document())
    for number, action in enumerate(actions):
        route = history.document.route
        if action == "add":
            history = history.record(Document(route.inserted(new_step("noise", f"n{number}"), len(route))), "Add")
        elif action == "remove" and len(route):
            history = history.record(Document(route.without(route.steps[0].id)), "Remove")
        elif action in ("undo", "redo"):
            history = getattr(history, action)()
    end, start = history, history
    for _ in range(len(history.entries)):
        start, end = start.undo(), end.redo()
    assert start.document == Document() and start.undo_label == "" and end.redo_label == ""
    assert end.document == history.entries[-1].document
    assert start.document.route == Route()
    for _ in range(len(history.entries)):
        start = start.redo()
    assert start == end


def test_nothing_outside_the_window_needs_qt():
    code = """
import importlib, pkgutil, sys
sys.modules["PyQt6"] = None
import dustpan
for info in pkgutil.walk_packages(dustpan.__path__, "dustpan."):
    if not info.name.startswith("dustpan.ui"):
        importlib.import_module(info.name)
        print(info.name)
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert "dustpan.core.render.engine" in done.stdout and "dustpan.__main__" in done.stdout


NASTY = {
    "a number of 400 digits": lambda d: d["steps"][0]["params"].update(luminance=10**400),
    "no number": lambda d: d["steps"][0]["params"].update(luminance=float("nan")),
    "a mix of infinity": lambda d: d["steps"][0].update(mix=float("inf")),
    "a list for a kind": lambda d: d["steps"][0].update(kind=[["noise"]]),
    "a broken letter": lambda d: d.update(name="\ud800"),
    "an output of nothing": lambda d: d.update(output={"size": "0x9"}),
    "noise below 0": lambda d: d.update(scaling="fixed", made_on={"noise": noise(-0.1)}),
    "noise that is no number": lambda d: d.update(scaling="fixed", made_on={"noise": noise(float("nan"))}),
    "noise of 400 digits": lambda d: d.update(scaling="fixed", made_on={"noise": noise(10**400)}),
}


def noise(value):
    from dustpan.core.noise.model import NoiseModel

    data = NoiseModel.none().to_json()
    data["sigma"][0][0][0] = value
    return data


@pytest.mark.parametrize("name", NASTY)
def test_a_remedy_with_nonsense_in_it_is_refused_in_one_line(name):
    data = json.loads(write_remedy(Remedy(Route((new_step("noise", "noise"),)))))
    NASTY[name](data)
    with pytest.raises(RemedyError, match=r"r\.json") as told:
        read_remedy(json.dumps(data), where="r.json", check_made_on=find_noise_faults)
    assert "\n" not in str(told.value) and len(str(told.value)) < 600


def test_deep_nesting_is_refused_and_extra_and_missing_ids_are_kept():
    with pytest.raises(RemedyError, match="too deeply"):
        read_remedy('{"extra": ' + "[" * 100_000, where="r.json")
    data = {
        "format": "dustpan-remedy",
        "version": 1,
        "extra": {"mine": [1, {"deep": None}]},
        "steps": [
            {"kind": "noise"},
            {"kind": "noise", "extra": {"why": "again"}},
            {"kind": "sharpen", "id": "noise_2"},
        ],
        "output": {"size": [1200, 800], "viewing": {"distance": 40}},
    }
    remedy = read_remedy(json.dumps(data), where="r.json", check_made_on=find_noise_faults)
    assert [step.id for step in remedy.route] == ["noise", "noise_3", "noise_2"]
    again = json.loads(write_remedy(remedy))
    assert again["extra"] == data["extra"] and again["output"] == data["output"]
    assert again["steps"][1]["extra"] == {"why": "again"}
