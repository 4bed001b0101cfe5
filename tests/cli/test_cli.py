"""The command line, as scripts use it."""

from __future__ import annotations

import io
import json
import os
import subprocess
import sys
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest
from PIL import Image
from tests.conftest import psnr, with_white_noise

from dustpan.cli import COMMANDS
from dustpan.core.picture.source import Metadata
from dustpan.core.picture.working import to_working
from dustpan.core.steps import kinds
from dustpan.files import read_picture
from dustpan.files.save import FORMATS, save_picture
from dustpan.simulate.scenes import clean_picture


@pytest.fixture
def picture(tmp_path):
    """A noisy picture file of about 0.09 MP, and its truth."""
    clean = clean_picture("bench", size=(720, 480), dtype=np.float32).pixels[100:340, 200:560]
    path = tmp_path / "in" / "noisy.png"
    path.parent.mkdir()
    save_picture(path, with_white_noise(clean, 25), Metadata(), FORMATS["png"])
    return path, clean


def test_auto_cleans_by_nine_decibels_and_leaves_the_source_alone(dustpan, picture, tmp_path):
    path, clean = picture
    before, out = path.read_bytes(), tmp_path / "clean.png"
    status, printed, told = dustpan("process", path, "--out", out, "--auto", "--json")
    assert status == 0, told
    done = json.loads(printed)
    assert done["failed"] == [] and done["outputs"][0]["out"] == str(out) and "noise" in done["outputs"][0]["steps"]
    gain = psnr(to_working(read_picture(out).pixels), clean) - psnr(to_working(read_picture(path).pixels), clean)
    assert gain > 9
    assert path.read_bytes() == before
    assert dustpan("process", path, "--out", path, "--auto", "--overwrite")[0] == 1
    assert path.read_bytes() == before
    assert dustpan("process", path, "--out", out, "--auto")[0] == 1
    assert dustpan("process", path, "--out", out, "--auto", "--overwrite")[0] == 0


def test_more_noise_may_stay_when_asked_for(dustpan, picture, tmp_path):
    path, _ = picture
    taken = []
    for visible in (1, 4):
        status, printed, _ = dustpan(
            "process", path, "--out", tmp_path / f"{visible}.png", "--auto", "--visible", visible, "--json"
        )
        resolved = json.loads(printed)["outputs"][0]["remedy"]["made_on"]["resolved"]
        taken.append(resolved["noise"]["luminance"])
        assert status == 0
    assert taken[1] < taken[0] - 5
    assert dustpan("process", path, "--out", tmp_path / "n.png", "--auto", "--visible", 0)[0] == 2


def test_a_dark_picture_is_lifted_only_when_asked_for(dustpan, picture, tmp_path):
    path, _ = picture
    dark = tmp_path / "dark.png"
    pixels = read_picture(path).pixels
    save_picture(dark, (pixels.astype(np.float32) * 0.25).astype(np.uint8), Metadata(), FORMATS["png"])
    means = {}
    for asked in ((), ("--lift",)):
        out = tmp_path / f"out{len(asked)}.png"
        status, printed, _ = dustpan("process", dark, "--out", out, "--auto", *asked, "--json")
        steps = {step["kind"]: step["params"] for step in json.loads(printed)["outputs"][0]["remedy"]["steps"]}
        means[asked] = read_picture(out).pixels.mean()
        assert status == 0 and (steps.get("exposure", {}).get("ev", 0) > 1) == bool(asked)
    assert means[()] == pytest.approx(read_picture(dark).pixels.mean(), abs=2) and means["--lift",] > 2 * means[()]
    remedy = tmp_path / "remedy.json"
    remedy.write_text(json.dumps({"version": 1, "steps": []}))
    assert dustpan("process", dark, "--out", tmp_path / "n.png", "--remedy", remedy, "--lift")[0] == 2


def test_several_go_into_a_folder_and_the_bytes_do_not_depend_on_the_jobs(dustpan, picture, tmp_path):
    path, _ = picture
    paths = [path]
    for number in range(2):
        paths.append(path.with_name(f"copy{number}.png"))
        paths[-1].write_bytes(path.read_bytes())
    broken = path.with_name("broken.png")
    broken.write_bytes(path.read_bytes()[:900])
    outputs = {}
    for jobs in (1, 3):
        folder = tmp_path / f"out{jobs}"
        status, printed, told = dustpan(
            "process", *paths, broken, "--out", folder, "--auto", "--jobs", jobs, "--format", "tiff16", "--json"
        )
        assert status == 1
        report = json.loads(printed)
        assert len(report["outputs"]) == 3 and len(report["failed"]) == 1
        assert (
            "broken.png" in report["failed"][0]["error"] and "Traceback" not in told and told.count("broken.png") == 1
        )
        assert sorted(p.name for p in folder.iterdir()) == ["copy0.tif", "copy1.tif", "noisy.tif"]
        outputs[jobs] = [p.read_bytes() for p in sorted(folder.iterdir())]
    assert outputs[1] == outputs[3]


def test_same_names_from_two_folders_do_not_overwrite_each_other(dustpan, picture, tmp_path):
    path, _ = picture
    twin = tmp_path / "noisy.png"
    twin.write_bytes(path.read_bytes())
    status, printed, _ = dustpan("process", path, twin, "--out", tmp_path / "o", "--auto", "--overwrite", "--json")
    report = json.loads(printed)
    assert status == 1 and len(report["outputs"]) == 1 and "same name" in report["failed"][0]["error"]


def test_a_remedy_is_followed(dustpan, picture, tmp_path):
    path, _ = picture
    remedy, out = tmp_path / "r.json", tmp_path / "out.png"
    steps = [{"kind": "exposure", "params": {"ev": 1.0}}, {"kind": "noise", "on": False}]
    remedy.write_text(json.dumps({"format": "dustpan-remedy", "version": 1, "steps": steps}))
    assert dustpan("process", path, "--out", out, "--remedy", remedy)[0] == 0
    assert read_picture(out).pixels.mean() > 1.2 * read_picture(path).pixels.mean()
    wish = json.loads(remedy.read_text()) | {"output": {"size": "100x80", "viewing": "a print at arm's length"}}
    remedy.write_text(json.dumps(wish))
    _, printed, _ = dustpan("process", path, "--out", out, "--remedy", remedy, "--overwrite", "--json")
    made = json.loads(printed)["outputs"][0]
    assert any("not followed" in message for message in made["messages"]) and made["width"] <= 100
    assert made["remedy"]["output"] == wish["output"] and (made["width"], made["height"]) == (100, 67)
    remedy.write_text(remedy.read_text().replace("1.0", "9"))
    status, _, told = dustpan("process", path, "--out", tmp_path / "other.png", "--remedy", remedy)
    assert status == 1 and "r.json" in told and "'ev' is 9: expected a number from -5 to 5" in told
    assert not (tmp_path / "other.png").exists()


def test_a_last_sharpening_is_asked_for_and_the_remedy_that_was_used_gives_the_same_bytes(dustpan, picture, tmp_path):
    path, _ = picture
    plain, sharp, again = (tmp_path / f"{name}.png" for name in ("plain", "sharp", "again"))
    how = ("--auto", "--size", "200x200", "--json")
    assert dustpan("process", path, "--out", plain, *how)[0] == 0
    _, printed, _ = dustpan("process", path, "--out", sharp, *how, "--viewing", "matte")
    used = json.loads(printed)["outputs"][0]["remedy"]
    assert used["output"]["viewing"] == {"distance": 40.0, "density": 300.0, "spread": 0.08}
    assert read_picture(sharp).pixels.shape == read_picture(plain).pixels.shape
    assert not np.array_equal(read_picture(sharp).pixels, read_picture(plain).pixels)
    remedy = tmp_path / "used.json"
    remedy.write_text(json.dumps(used))
    assert dustpan("process", path, "--out", again, "--remedy", remedy)[0] == 0
    assert again.read_bytes() == sharp.read_bytes()
    remedy.write_text(json.dumps(used | {"output": {"viewing": {"distance": -1}}}))
    status, _, told = dustpan("process", path, "--out", again, "--remedy", remedy, "--overwrite")
    assert status == 1 and "used.json" in told and "distance" in told


@pytest.mark.parametrize(
    "arguments",
    [
        ("--out", "a.png"),
        ("--out", "a.png", "--auto", "--remedy", "r.json"),
        ("--auto",),
        ("--out", "a.png", "--auto", "--format", "jpeg"),
        ("--out", "a.cr2", "--auto"),
        ("--out", "a.png", "--auto", "--quality", "0"),
        ("--out", "a.png", "--auto", "--nonsense"),
    ],
)
def test_a_wrong_call_ends_with_two(dustpan, picture, monkeypatch, tmp_path, arguments):
    monkeypatch.chdir(tmp_path)
    status, _, told = dustpan("process", picture[0], *arguments)
    assert status == 2 and "Traceback" not in told
    assert not (tmp_path / "a.png").exists()


def test_measure_tells_noise_and_size(dustpan, picture):
    status, printed, _ = dustpan("measure", picture[0], "--json")
    figures = json.loads(printed)
    assert status == 0 and (figures["width"], figures["height"]) == (360, 240)
    assert figures["noise"]["sigma_luminance"] == pytest.approx(25, rel=0.2)
    assert len(figures["noise"]["curve"]) == 17 and figures["noise"]["in_corners"] == 1
    assert 0 <= figures["clipped"]["black"] <= 1
    assert "luminance noise" in dustpan("measure", picture[0])[1]
    status, _, told = dustpan("measure", picture[0].with_name("none.png"))
    assert status == 1 and "none.png" in told


def test_measure_against_a_reference_tells_gain_and_harm(dustpan, picture, tmp_path):
    noisy, clean = picture
    truth, cleaned = tmp_path / "truth.tif", tmp_path / "cleaned.tif"
    save_picture(truth, (clean * 65535 + 0.5).astype(np.uint16), Metadata(), FORMATS["tiff16"])
    assert dustpan("process", noisy, "--out", cleaned, "--auto", "--format", "tiff16")[0] == 0
    figures = {
        path: json.loads(dustpan("measure", path, "--reference", truth, "--json")[1])
        for path in (noisy, cleaned, truth)
    }
    gains = [figures[path]["psnr"] for path in (noisy, cleaned, truth)]
    assert gains == sorted(gains) and gains[1] > gains[0] + 8 and gains[2] > 90
    assert figures[noisy]["psnr"] == pytest.approx(psnr(to_working(read_picture(noisy).pixels), clean), abs=0.05)
    assert figures[truth]["ssim"] == pytest.approx(1) and figures[noisy]["ssim"] < figures[cleaned]["ssim"] < 1
    assert figures[truth]["texture_kept"] == pytest.approx(1, abs=0.01) and figures[truth]["halo"] in (0, None)
    assert abs(figures[cleaned]["brightness_shift"]) < 0.6
    table = dustpan("measure", cleaned, "--reference", truth)[1]
    for word in (
        "against the reference",
        "structural similarity",
        "texture kept",
        "brightness shift",
        "sharpest edges",
    ):
        assert word in table
    other = tmp_path / "other.png"
    save_picture(other, np.zeros((20, 30, 3), np.uint8), Metadata(), FORMATS["png"])
    status, _, told = dustpan("measure", noisy, "--reference", other)
    assert status == 1 and "other.png: is 30 x 20 px" in told and "Traceback" not in told


def test_a_batch_goes_on_past_hostile_files_and_names_each(dustpan, picture, tmp_path):
    noisy, _ = picture
    folder, out = tmp_path / "hostile", tmp_path / "out"
    folder.mkdir()
    whole = noisy.read_bytes()
    hostile = {
        "empty.png": b"",
        "cut.png": whole[: len(whole) // 2],
        "words.jpg": b"not a picture at all",
        "head.tif": b"II*\0\xff\xff\xff\xff",
        "zero.png": whole[:16] + b"\0" * 8 + whole[24:],
        "vast.png": whole[:16] + (200000).to_bytes(4, "big") * 2 + whole[24:],
    }
    for name, held in hostile.items():
        (folder / name).write_bytes(held)
    later = folder / "sound.png"
    later.write_bytes(whole)
    calls = [noisy, *(folder / name for name in hostile), folder / "missing.png", later]
    status, printed, told = dustpan("process", *calls, "--out", out, "--auto", "--json")
    done = json.loads(printed)
    assert status == 1 and [item["source"] for item in done["outputs"]] == [str(noisy), str(later)]
    assert len(done["failed"]) == len(hostile) + 1 and "Traceback" not in told
    for name in (*hostile, "missing.png"):
        assert sum(name in failure["error"] for failure in done["failed"]) == 1, name
    assert sorted(path.name for path in out.iterdir()) == ["noisy.png", "sound.png"]
    one, other = (read_picture(out / name).pixels for name in ("noisy.png", "sound.png"))
    assert np.array_equal(one, other)


def test_raw_pictures_are_processed_and_steps_that_do_not_apply_are_told(dustpan, picture, tmp_path):
    raw, remedy = tmp_path / "six.dng", tmp_path / "r.json"
    assert dustpan("simulate", "bench", "--out", raw, "--iso", 3200, "--size", "360x240", "--six")[0] == 0
    status, printed, _ = dustpan("process", raw, "--out", f"{tmp_path / 'out'}/", "--auto", "--json")
    done = json.loads(printed)["outputs"][0]
    assert status == 0 and "develop" in done["steps"] and done["out"].endswith("six.png")
    result = to_working(read_picture(tmp_path / "out" / "six.png").pixels)
    truth = clean_picture("bench", size=(360, 240), dtype=np.float32).pixels
    assert psnr(result, truth) > 30
    steps = [{"kind": "hot_pixels"}, {"kind": "develop"}, {"kind": "noise"}]
    remedy.write_text(json.dumps({"format": "dustpan-remedy", "version": 1, "steps": steps}))
    status, printed, _ = dustpan("process", picture[0], "--out", tmp_path / "a.png", "--remedy", remedy, "--json")
    done = json.loads(printed)["outputs"][0]
    assert status == 0 and done["steps"] == ["hot_pixels", "noise"]
    assert done["messages"] == ["Develop was left out: this is no raw picture."]


def test_steps_lists_every_parameter(dustpan):
    listed = json.loads(dustpan("steps", "--json")[1])["steps"]
    assert [step["kind"] for step in listed] == list(kinds())
    for step in listed:
        kind = kinds()[step["kind"]]
        assert [p["id"] for p in step["params"]] == list(kind.params_type.described())
        assert set(step["params"][0]) == {"id", "label", "unit", "low", "high", "default", "choices", "help"}
    assert "luminance" in dustpan("steps")[1]


def test_simulate_is_the_same_from_the_same_seed(dustpan, tmp_path):
    def write(name, *rest):
        assert dustpan("simulate", "bench", "--out", tmp_path / name, "--size", "240x160", *rest)[0] == 0
        return read_picture(tmp_path / name)

    one, same, other = write("a.png"), write("b.png", "--seed", "1"), write("c.png", "--seed", "2")
    assert np.array_equal(one.pixels, same.pixels) and not np.array_equal(one.pixels, other.pixels)
    assert one.metadata.camera == "Quillmark Q3" and one.metadata.iso == 12800
    clean = to_working(write("t.tif", "--truth").pixels)
    noise = [np.std(to_working(write(f"{iso}.png", "--iso", iso).pixels) - clean) for iso in (400, 3200, 25600)]
    assert noise == sorted(noise) and noise[2] > 1.5 * noise[0]


_INTERRUPTED = """
import os, signal, sys
from dustpan.cli import run
from dustpan.batch import one_picture as batch
signal.signal(signal.SIGINT, signal.default_int_handler)  # a job in the background is born ignoring it
propose = batch.propose_route
def interrupted(*arguments, **rest):
    os.kill(os.getpid(), signal.SIGINT)  # as Ctrl+C does, when the picture is being worked on
    return propose(*arguments, **rest)
batch.propose_route = interrupted
sys.exit(run(None, sys.argv[1:]))
"""


def test_an_interrupted_run_ends_with_130_and_leaves_nothing_half_written(tmp_path):
    source, out = tmp_path / "big.png", tmp_path / "out"
    out.mkdir()
    save_picture(source, with_white_noise(np.full((900, 900, 3), 0.4), 20), Metadata(), FORMATS["png"])
    call = [sys.executable, "-c", _INTERRUPTED, "process", str(source), "--out", str(out), "--auto"]
    done = subprocess.run(call, capture_output=True, text=True, timeout=120, check=False)
    assert done.returncode == 130, done.stderr
    assert "interrupted" in done.stderr and "Traceback" not in done.stderr and list(out.iterdir()) == []


@pytest.mark.parametrize("words", [(), ("open",), *((name,) for name in COMMANDS)])
def test_every_help_text_has_an_example_and_says_what_the_list_says(dustpan, words):
    status, printed, _ = dustpan(*words, "--help")
    printed = " ".join(printed.split())
    assert status == 0 and "Example: dustpan" in printed
    assert all(COMMANDS[name] in printed for name in (words or COMMANDS) if name in COMMANDS)


def test_one_input_never_ends_the_others_and_the_output_stays_one_object(dustpan, tmp_path, monkeypatch):
    from dustpan.batch import one_picture as batch

    paths = [tmp_path / f"{name}.png" for name in ("fine", "huge", "odd", "last")]
    for path in paths:
        save_picture(path, np.full((40, 60, 3), 90, np.uint8), Metadata(), FORMATS["png"])
    plain = batch.read_picture

    def read(path):
        print("a library prints here")
        os.write(1, b"and here\n")
        if path.name == "huge.png":
            raise MemoryError
        if path.name == "odd.png":
            raise ZeroDivisionError("odd")
        return plain(path)

    monkeypatch.setattr(batch, "read_picture", read)
    status, printed, told = dustpan(
        "process", *paths, tmp_path / "gone.png", "--out", f"{tmp_path}/out/", "--auto", "--json"
    )
    answer = json.loads(printed)
    assert status == 1 and [Path(o["source"]).name for o in answer["outputs"]] == ["fine.png", "last.png"]
    assert [Path(f["source"]).name for f in answer["failed"]] == ["huge.png", "odd.png", "gone.png"]
    assert all(
        name in told
        for name in ("huge.png: not enough memory", "odd.png: unexpected error", "gone.png: can't be opened")
    )


def test_a_bad_remedy_still_prints_one_object_and_no_folder_gets_a_files_name(dustpan, tmp_path):
    path, remedy = tmp_path / "a.png", tmp_path / "r.json"
    save_picture(path, np.full((40, 60, 3), 90, np.uint8), Metadata(), FORMATS["png"])
    remedy.write_text('{"format": "dustpan-remedy", "version": 1, "steps": [{"kind": "nois"}]}')
    status, printed, _ = dustpan("process", path, "--out", tmp_path / "b.png", "--remedy", remedy, "--json")
    answer = json.loads(printed)
    assert status == 1 and answer["outputs"] == [] and "did you mean 'noise'" in answer["failed"][0]["error"]
    other = tmp_path / "c.png"
    other.write_bytes(path.read_bytes())
    status, _, told = dustpan("process", path, other, "--out", tmp_path / "new.png", "--auto")
    assert status == 2 and "need a folder" in told and not (tmp_path / "new.png").exists()


def test_a_name_that_is_no_text_is_worked_and_told(tmp_path):
    name = os.fsdecode(b"caf\xe9.png")
    save_picture(tmp_path / name, np.full((40, 60, 3), 90, np.uint8), Metadata(), FORMATS["png"])
    call = [
        sys.executable,
        "-m",
        "dustpan",
        "process",
        tmp_path / name,
        "--out",
        f"{tmp_path}/out/",
        "--auto",
        "--json",
    ]
    done = subprocess.run(call, capture_output=True, timeout=120, check=False)
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["outputs"][0]["out"].endswith("caf\udce9.png")
    assert (tmp_path / "out" / name).exists()


def test_a_signal_leaves_no_unfinished_file(tmp_path):
    source = tmp_path / "big.png"
    save_picture(source, with_white_noise(np.full((1500, 1500, 3), 0.4), 20), Metadata(), FORMATS["png"])
    code = (
        "import os, signal\nfrom dustpan.cli import end_plainly\nfrom dustpan.files.atomic import save_whole\n"
        "from pathlib import Path\nend_plainly()\n"
        f"save_whole(Path({str(tmp_path / 'o.png')!r}), "
        "lambda part: (part.write_bytes(b'x'), os.kill(os.getpid(), signal.SIGTERM)), overwrite=False)"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=False)
    assert done.returncode == -15 and [p.name for p in tmp_path.iterdir()] == ["big.png"]


def test_it_works_without_a_home_from_where_nothing_can_be_written(tmp_path):
    source = tmp_path / "a.png"
    save_picture(source, np.full((40, 60, 3), 90, np.uint8), Metadata(), FORMATS["png"])
    environment = {k: v for k, v in os.environ.items() if not k.startswith("XDG")}
    environment |= {"HOME": "/nonexistent", "XDG_CACHE_HOME": "/proc/nowhere", "TMPDIR": str(tmp_path)}
    call = [sys.executable, "-m", "dustpan", "measure", source, "--json"]
    done = subprocess.run(call, capture_output=True, text=True, timeout=300, env=environment, check=False)
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["width"] == 60


def test_outputs_are_reduced_as_asked_or_as_the_remedy_wishes(dustpan, tmp_path, picture):
    noisy_file = picture[0]
    width, height = (read_picture(noisy_file).width, read_picture(noisy_file).height)
    remedy = tmp_path / "small.json"
    remedy.write_text(
        json.dumps(
            {"format": "dustpan-remedy", "version": 1, "steps": [], "output": {"size": f"{width // 3}x{height}"}}
        )
    )
    for name, more, expected in (
        ("a.png", (), width // 3),
        ("b.png", ("--size", f"{width // 2}x{height}"), width // 2),
    ):
        status, out = dustpan("process", noisy_file, "--out", tmp_path / name, "--remedy", remedy, "--json", *more)[:2]
        told = json.loads(out)["outputs"][0]
        found = read_picture(tmp_path / name)
        assert status == 0 and (told["width"], told["height"]) == (found.width, found.height)
        assert found.width == expected and found.height == round(height * expected / width)


def test_each_scene_is_written_as_what_it_is_with_its_truth_and_its_defects(dustpan, tmp_path):
    small = ("--size", "270x180")
    for scene, own in (("tower", "tower.dng"), ("escapement", "escapement.exr"), ("postcard", "postcard.jpg")):
        for more in ((), ("--truth",), ("--defects",)):
            status, _, told = dustpan("simulate", scene, "--out", tmp_path, *small, *more)
            assert status == 0, told
        picture, marks = read_picture(tmp_path / own), read_picture(tmp_path / f"{scene}-defects.png")
        assert (picture.width, picture.height) == (marks.width, marks.height) == (270, 180)
        assert marks.pixels.dtype == np.uint8 and marks.pixels.any()
    assert "albedo.R" in read_picture(tmp_path / "escapement.exr").layers
    assert read_picture(tmp_path / "postcard.jpg").compression.halved
    assert dustpan("simulate", "tower", "--out", tmp_path / "x.png", "--truth", "--defects")[0] == 2
    assert dustpan("simulate", "escapement", "--out", tmp_path, "--samples", "4", *small)[0] == 0
    fewer = read_picture(tmp_path / "escapement-4.exr").pixels
    assert fewer.shape == read_picture(tmp_path / "escapement.exr").pixels.shape
    assert not np.array_equal(fewer, read_picture(tmp_path / "escapement.exr").pixels)
    assert "tower is none" in dustpan("simulate", "tower", "--out", tmp_path / "x.png", "--samples", "4")[2]
    assert (
        "rendered picture" in dustpan("simulate", "escapement", "--out", tmp_path / "y.exr", "--iso", "400", *small)[2]
    )


def test_inputs_may_be_a_folder_a_pattern_or_standard_input(dustpan, tmp_path, monkeypatch):
    folder = tmp_path / "night"
    folder.mkdir()
    for name in ("a", "b", "c"):
        save_picture(folder / f"{name}.png", with_white_noise(np.full((40, 60, 3), 0.4), 9), Metadata(), FORMATS["png"])
    (folder / "notes.txt").write_text("none of these")
    status, _, told = dustpan("process", folder, "--out", tmp_path / "cleaned", "--auto")
    assert status == 0 and {path.name for path in (tmp_path / "cleaned").iterdir()} == {"a.png", "b.png", "c.png"}
    assert [line.split(":")[1].split("(")[0].strip() for line in told.splitlines()] == [
        f"wrote {tmp_path}/cleaned/{name}.png" for name in "abc"
    ]
    status, printed, _ = dustpan("measure", folder / "[ab].png", "--json")
    assert status == 0 and [Path(p["source"]).stem for p in json.loads(printed)["pictures"]] == ["a", "b"]
    monkeypatch.setattr("sys.stdin", SimpleNamespace(buffer=(folder / "a.png").open("rb")))
    status, printed, _ = dustpan("process", "-", "--out", tmp_path / "one", "--auto", "--json")
    assert status == 0 and json.loads(printed)["outputs"][0]["source"] == "-"
    assert (tmp_path / "one" / "standard-input.png").read_bytes() == (tmp_path / "cleaned" / "a.png").read_bytes()
    monkeypatch.setattr("sys.stdin", SimpleNamespace(buffer=io.BytesIO(b"no picture")))
    status, printed, told = dustpan("process", "-", "--out", tmp_path / "one", "--auto", "--json", "--overwrite")
    assert status == 1 and json.loads(printed)["failed"][0]["source"] == "-" and told.startswith("dustpan: -: ")
    for named in (folder / "*.jpg", tmp_path / "one-none"):
        (tmp_path / "one-none").mkdir(exist_ok=True)
        status, _, told = dustpan("process", named, "--out", tmp_path / "x", "--auto")
        assert status == 2 and named.name in told and not (tmp_path / "x").exists()


def test_one_input_and_a_name_without_ending_make_a_folder_as_two_would(dustpan, picture, tmp_path):
    path, _ = picture
    for out in (tmp_path / "cleaned", tmp_path / "by.night"):
        assert dustpan("process", path, "--out", out, "--auto")[0] == 0
        assert [file.name for file in out.iterdir()] == [Path(path).stem + ".png"]


def test_a_mistyped_command_is_told_with_the_nearest_and_opens_no_window(dustpan):
    status, _, told = dustpan("proces", "a.png")
    assert status == 2 and "'proces'" in told and "'process'" in told
    status, _, told = dustpan("zzz")
    assert status == 2 and "zzz" in told


def test_what_was_lost_is_said_in_a_line_each_without_json_too(dustpan, tmp_path):
    alpha = np.full((40, 60, 4), 90, np.uint8)
    alpha[:20, :, 3] = 200
    Image.fromarray(alpha).save(tmp_path / "clear.png")
    status, printed, told = dustpan("process", tmp_path / "clear.png", "--out", tmp_path / "flat.jpg", "--auto")
    lines = told.splitlines()
    assert status == 0 and not printed and "wrote" in lines[0] and any("alpha" in line.lower() for line in lines[1:])


def test_a_remedy_made_with_more_visible_noise_gives_the_same_bytes_again(dustpan, picture, tmp_path):
    path, _ = picture
    first, again, other = (tmp_path / name for name in ("first.png", "again.png", "other.png"))
    status, printed, _ = dustpan("process", path, "--out", first, "--auto", "--visible", "3", "--json")
    used = json.loads(printed)["outputs"][0]["remedy"]
    assert status == 0 and used["made_on"]["visible"] == 3
    remedy = tmp_path / "used.json"
    remedy.write_text(json.dumps(used))
    assert dustpan("process", path, "--out", again, "--remedy", remedy)[0] == 0
    assert again.read_bytes() == first.read_bytes()
    assert dustpan("process", path, "--out", other, "--remedy", remedy, "--visible", "0.5")[0] == 0
    assert other.read_bytes() != first.read_bytes()
    remedy.write_text(json.dumps(used | {"made_on": {"visible": 99}}))
    status, _, told = dustpan("process", path, "--out", other, "--remedy", remedy, "--overwrite")
    assert status == 1 and "visible" in told and "0.2 to 10" in told


@pytest.mark.parametrize("number", ["NaN", "Infinity", "-1e999"])
def test_a_remedy_with_what_json_has_no_number_for_is_refused_in_sound_json(dustpan, picture, tmp_path, number):
    remedy = tmp_path / "odd.json"
    remedy.write_text(f'{{"format": "dustpan-remedy", "version": 1, "steps": [], "extra": {{"a": {number}}}}}')
    status, printed, told = dustpan("process", picture[0], "--out", tmp_path / "o.png", "--remedy", remedy, "--json")
    assert status == 1 and "odd.json" in told
    json.loads(printed, parse_constant=pytest.fail)


@pytest.mark.skipif(not os.path.exists("/dev/full"), reason="no device that is always full")
def test_a_full_standard_output_is_told(tmp_path):
    code = "from dustpan.cli import run; raise SystemExit(run(lambda files: 0, ['steps', '--json']))"
    with open("/dev/full", "w") as full:
        done = subprocess.run([sys.executable, "-c", code], stdout=full, stderr=subprocess.PIPE, text=True, check=False)
    assert done.returncode == 1 and "standard output" in done.stderr and "Traceback" not in done.stderr


def test_noise_is_measured_in_bare_places_and_the_remedy_holds_them(dustpan, picture, tmp_path):
    path, _ = picture
    at = "12,16,92,80"
    figures = [json.loads(dustpan("measure", path, *more, "--json")[1])["noise"] for more in ((), ("--bare", at))]
    assert figures[0]["curve"] != figures[1]["curve"]
    first, again, other = (tmp_path / name for name in ("first.png", "again.png", "other.png"))
    status, printed, _ = dustpan("process", path, "--out", first, "--auto", "--bare", at, "--json")
    used = json.loads(printed)["outputs"][0]["remedy"]
    assert status == 0 and len(next(s for s in used["steps"] if s["kind"] == "noise")["params"]["bare"]) == 1
    remedy = tmp_path / "used.json"
    remedy.write_text(json.dumps(used))
    assert dustpan("process", path, "--out", again, "--remedy", remedy)[0] == 0
    assert again.read_bytes() == first.read_bytes()
    remedy.write_text(json.dumps(used | {"made_on": {"picture": "another"}}))  # places stay where they were marked
    assert dustpan("process", path, "--out", other, "--remedy", remedy)[0] == 0
    assert other.read_bytes() != first.read_bytes()
    for wrong, said in (("1,2,3", "rectangle"), ("0,0,9000,40", "reaches out"), ("0,0,9,9", "too small")):
        status, _, told = dustpan("measure", path, "--bare", wrong)
        assert status and said in told
