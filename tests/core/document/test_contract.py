"""What scripts, remedies and checks rely on: kinds, parameters, ranges and defaults that never change."""

from __future__ import annotations

import json

import pytest

from dustpan.core.document.kinds import STAGES
from dustpan.core.document.remedy_format import read_remedy, write_remedy
from dustpan.core.document.route import Route, Step, new_step
from dustpan.core.errors import RemedyError
from dustpan.core.filters.blend import LAWS
from dustpan.core.steps import kinds

_SHARE, _SIGNED = (0, 1), (-1, 1)
#: stage, kind: parameter: (low, high, default) of a number, (choices, default) of a word, or the default of a switch.
FIXED = {
    ("Mend", "hot_pixels"): {
        "sensitivity": (2, 20, 6),
        "max_size": (1, 9, 3),
        "polarity": (("bright", "dark", "both"), "bright"),
        "coloured": True,
        "spare_stars": True,
        "known": True,
        "spared": (),
        "added": (),
    },
    ("Mend", "fireflies"): {"strength": (*_SHARE, 0.5), "radius": (1, 8, 3), "spare_highlights": (*_SHARE, 0.7)},
    ("Mend", "sensor_lines"): {
        "direction": (("auto", "rows", "columns"), "auto"),
        "strength": (*_SHARE, 1),
        "period": (0, 64, 0),
    },
    ("Mend", "banding"): {"rows": (*_SHARE, 0.8), "columns": (*_SHARE, 0), "protect": (*_SHARE, 0.8)},
    ("Mend", "blocks"): {"strength": (*_SHARE, 1), "ringing": (*_SHARE, 0.5)},
    ("Mend", "channel_shift"): {
        "auto": True,
        **{name: (-5, 5, 0) for name in ("red_x", "red_y", "blue_x", "blue_y", "red_scale", "blue_scale")},
    },
    ("Mend", "fringe"): {
        "auto": True,
        "hue": (0, 360, 300),
        "hue_width": (5, 180, 60),
        "strength": (*_SHARE, 0.8),
        "radius": (0.5, 10, 2),
        "edge": (*_SHARE, 0.3),
    },
    ("Tone", "develop"): {
        "white_balance": (("as_shot", "auto", "custom"), "as_shot"),
        "temperature": (2000, 20000, 5500),
        "tint": (*_SIGNED, 0),
        "demosaic": (("fine", "fast"), "fine"),
        "highlights": (("clip", "rebuild"), "clip"),
    },
    ("Tone", "exposure"): {
        "ev": (-5, 5, 0),
        "black": (-0.2, 0.2, 0),
        "white": (-0.2, 0.2, 0),
        "midtone": (*_SIGNED, 0),
        "contrast": (*_SIGNED, 0),
        "shadows": (*_SIGNED, 0),
        "highlights": (*_SIGNED, 0),
        "saturation": (*_SIGNED, 0),
        "stretch": (*_SHARE, 0),
    },
    ("Tone", "haze"): {
        "strength": (*_SHARE, 0.5),
        "far_only": (*_SHARE, 0),
        "sky_guard": (*_SHARE, 0.6),
        "even_out": (*_SHARE, 0.5),
    },
    ("Quiet", "smooth"): {
        "method": (("median", "gaussian", "edge_keeping"), "median"),
        "radius": (0.5, 64, 4),
        "threshold": (0, 100, 0),
    },
    ("Quiet", "black_balance"): {"strength": (*_SHARE, 0.5), "reach": (0, 50, 12)},
    ("Quiet", "noise"): {
        "auto": True,
        "luminance": (0, 100, 60),
        "colour": (0, 100, 80),
        "over_tone": (0, 2, (1, 1, 1, 1, 1)),
        "colour_over_tone": (0, 2, (1, 1, 1, 1, 1)),
        "red": (0, 2, 1),
        "green": (0, 2, 1),
        "blue": (0, 2, 1),
        "blotch": (0, 5, 3),
        "detail_return": (0, 100, 20),
        "guided": True,
    },
    ("Crisp", "sharpen"): {
        "amount": (0, 500, 100),
        "radius": (0.2, 10, 0.8),
        "threshold": (0, 32, 2),
        "finest_octave": (*_SHARE, 0.35),
        "edge_gate": (*_SHARE, 0.3),
        "noise_gate": (0, 4, 1.5),
        "halo_light": (*_SHARE, 0.5),
        "halo_dark": (*_SHARE, 0.5),
    },
    ("Crisp", "high_pass"): {
        "radius": (0.5, 20, 3.2),
        "strength": (0, 200, 50),
        "law": (("gentle", "firm", "full"), "gentle"),
        "clean": (0, 100, 60),
        "steepen": (*_SHARE, 0),
        "neutral": True,
    },
    ("Crisp", "deblur"): {
        "shape": (("gaussian", "disc", "motion"), "gaussian"),
        "radius": (0.3, 8, 1.2),
        "angle": (0, 180, 0),
        "iterations": (1, 60, 15),
        "damping": (*_SHARE, 0.5),
        "strength": (*_SHARE, 1),
    },
    ("Crisp", "local_contrast"): {
        "amount": (-1, 2, 0.4),
        "radius": (4, 200, 30),
        "shadows": (0, 2, 1),
        "highlights": (0, 2, 1),
    },
    ("Surface", "grain"): {"amount": (0, 100, 15), "size": (0.5, 4, 1), "colour": (*_SHARE, 0), "seed": (0, 9999, 0)},
}
_OF_LUMINANCE = ("sharpen", "deblur", "local_contrast")
_LAWS = (
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


@pytest.mark.parametrize(("place", "params"), FIXED.items(), ids=[kind for _, kind in FIXED])
def test_a_kind_keeps_its_stage_its_parameters_their_ranges_and_defaults(place, params):
    stage, name = place
    kind = kinds()[name]
    described = kind.params_type.described()
    assert kind.stage == stage and set(params) <= set(described)
    for key, expected in params.items():
        found = described[key]
        if isinstance(expected, bool):
            assert found.default is expected
        elif expected == ():
            assert found.form is not None and found.default == ()
        elif isinstance(expected[0], tuple):
            assert (tuple(found.choices), found.default) == expected
        else:
            assert (found.low, found.high, found.default) == expected, key
    assert new_step(name, "s").blend == ("luminance_only" if name in _OF_LUMINANCE else "replace")


def test_kinds_stand_in_the_order_of_their_stages_and_all_laws_are_there():
    ranks = [STAGES.index(kind.stage) for kind in kinds().values()]
    assert ranks == sorted(ranks) and STAGES == ("Mend", "Tone", "Quiet", "Crisp", "Surface")
    assert tuple(LAWS) == _LAWS


@pytest.mark.parametrize("name", kinds())
def test_a_number_past_either_end_is_refused_by_name_and_at_the_end_it_is_taken(name):
    described = kinds()[name].params_type.described()
    for key, found in described.items():
        if found.low is None or found.length:
            continue
        for end, past in ((found.low, found.low - 1), (found.high, found.high + 1)):
            read = read_remedy(_remedy({"kind": name, "params": {key: end}}), where="r.json")
            assert getattr(read.route.steps[0].params, key) == end
            with pytest.raises(RemedyError) as told:
                read_remedy(_remedy({"kind": name, "params": {key: past}}), where="r.json")
            assert "r.json" in str(told.value) and f"'{key}'" in str(told.value)


def test_a_remedy_keeps_every_key_of_its_form_and_what_stands_under_extra():
    step = {"kind": "sharpen", "id": "one", "on": False, "mix": 0.25, "blend": "overlay", "name": "crisp numerals"}
    head = {
        "name": "tower",
        "camera": "Quillmark Q3",
        "iso": 6400,
        "note": "roof",
        "scaling": "measured",
        "output": {"viewing": "print"},
        "extra": {"tray": [1, {"of": "old"}]},
    }
    read = read_remedy(_remedy(step, **head), where="r.json")
    written = json.loads(write_remedy(read))
    assert written["format"] == "dustpan-remedy" and written["version"] == 1
    assert {key: written[key] for key in head} == head
    assert {key: written["steps"][0][key] for key in step} == step
    assert {"wheres", "made_on"} <= set(written)
    assert read_remedy(json.dumps(written), where="again").route == read.route


def test_ids_are_told_apart_and_free_ones_are_found():
    route = Route((new_step("noise", "noise"), new_step("noise", "noise_2")))
    assert route.free_id("noise") not in ("noise", "noise_2") and route.free_id("sharpen") == "sharpen"
    assert isinstance(route.find("noise_2"), Step) and route.find("none") is None
    with pytest.raises(RemedyError, match="'same' stands twice"):
        read_remedy(_remedy({"kind": "noise", "id": "same"}, {"kind": "sharpen", "id": "same"}), where="r.json")


def _remedy(*steps, **head) -> str:
    return json.dumps({"format": "dustpan-remedy", "version": 1, **head, "steps": list(steps)})
