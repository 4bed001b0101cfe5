"""Project files: what is saved comes back, moved pictures are found, damaged files give what is whole of them."""

from __future__ import annotations

import json
import zipfile
from dataclasses import replace

import pytest

from dustpan.core.document.history import Document
from dustpan.core.document.route import Part, Route, Where, new_step
from dustpan.core.document.work import Work
from dustpan.core.errors import ProjectError
from dustpan.core.where import part_kinds
from dustpan.files.projects import Project, ProjectPicture, digest_of, load_project, save_project
from dustpan.files.remedies import ready_made


@pytest.fixture
def project(tmp_path) -> Project:
    """Three pictures, each with work of its own."""
    (tmp_path / "night").mkdir()
    pictures = []
    for number, remedy in enumerate(list(ready_made().values())[:3]):
        path = tmp_path / "night" / f"{number}.png"
        path.write_bytes(b"picture %d" % number * 40)
        takes = {"before": Document(Route((new_step("noise", "n"),)))}
        work = Work(
            Document(remedy.route), takes, "noise", number == 1, {"zoom": 2.0, "centre": [3.5, 4.0], "fitted": False}
        )
        pictures.append(ProjectPicture(path, digest_of(path), work, b"\x89PNG" if number else None))
    return Project(tuple(pictures), 2)


def test_what_is_saved_comes_back(project, tmp_path):
    target = tmp_path / "tower.dustpan"
    save_project(target, project)
    assert load_project(target) == (project, [])
    with zipfile.ZipFile(target) as file:
        names = file.namelist()
    assert names[0] == "project.json" and sum(name.endswith(".png") for name in names) == 2
    save_project(target, Project(project.pictures[:1]))  # over itself
    assert len(load_project(target)[0].pictures) == 1


def test_pictures_that_were_moved_are_found(project, tmp_path):
    target = tmp_path / "tower.dustpan"
    save_project(target, project)
    moved = tmp_path / "elsewhere"
    moved.mkdir()
    (tmp_path / "night").rename(moved / "night")
    target = target.rename(moved / "tower.dustpan")
    assert [p.path.parent for p in load_project(target)[0].pictures] == [moved / "night"] * 3  # beside it, as before
    (moved / "night" / "1.png").rename(moved / "renamed.png")
    (moved / "night" / "2.png").unlink()
    pictures = load_project(target)[0].pictures
    assert pictures[1].path == moved / "renamed.png"  # by its content
    assert pictures[2].path == project.pictures[2].path and not pictures[2].path.exists()


@pytest.mark.parametrize("share", [0.35, 0.6, 0.97])
def test_of_a_file_that_was_cut_short_the_whole_pictures_are_read(project, tmp_path, share):
    target = tmp_path / "tower.dustpan"
    save_project(target, project)
    data = target.read_bytes()
    target.write_bytes(data[: int(share * len(data))])
    found, faults = load_project(target)
    assert found.pictures == project.pictures[: len(found.pictures)] or share > 0.9
    assert 1 <= len(found.pictures) <= 3 and "damaged" in faults[0]
    assert len(found.pictures) == 3 or f"{3 - len(found.pictures)} of its pictures are missing" in faults[-1]


def rewritten(target, name: str, change) -> None:
    with zipfile.ZipFile(target) as file:
        parts = {each: file.read(each) for each in file.namelist()}
    parts[name] = change(parts[name])
    with zipfile.ZipFile(target, "w") as file:
        for each, data in parts.items():
            file.writestr(each, data)


def test_faults_name_the_file_and_the_part(project, tmp_path):
    target = tmp_path / "tower.dustpan"
    save_project(target, project)
    rewritten(target, "pictures/0001.json", lambda data: data.replace(b'"noise"', b'"nonsense"'))
    found, faults = load_project(target)
    assert len(found.pictures) == 2 and "pictures/0001.json" in faults[0] and "nonsense" in faults[0]
    rewritten(target, "project.json", lambda data: json.dumps(json.loads(data) | {"version": 7}).encode())
    with pytest.raises(ProjectError, match=r"tower\.dustpan.*version 7"):
        load_project(target)
    for data in (b"", b"no zip", b"PK\x03\x04" + bytes(60)):
        target.write_bytes(data)
        with pytest.raises(ProjectError, match="not a project"):
            load_project(target)
    with pytest.raises(ProjectError, match="can't be read"):
        load_project(tmp_path / "none.dustpan")


def test_masks_of_ten_steps_come_back_to_the_same_document(tmp_path):
    kinds = list(part_kinds().values())[:10]
    parts = [Part(f"p{n}", kind.kind, kind.params_type()) for n, kind in enumerate(kinds) if kind.kind != "named"]
    wheres = [Where((part,), invert=bool(n % 2), feather=float(n)) for n, part in enumerate(parts)]
    steps = tuple(replace(new_step("sharpen", f"s{n}"), where=where) for n, where in enumerate(wheres))
    path = tmp_path / "a.png"
    path.write_bytes(b"a")
    save_project(
        tmp_path / "a.dustpan", Project((ProjectPicture(path, digest_of(path), Work(Document(Route(steps)))),))
    )
    assert load_project(tmp_path / "a.dustpan")[0].pictures[0].work.route == Route(steps)
