"""Several files of one picture asked for in the export dialog, and remembered."""

from __future__ import annotations

from dataclasses import replace

import tifffile
from tests.ui.steer import settle

from dustpan.files import read_picture
from dustpan.ui.also_fields import AlsoField
from dustpan.ui.export_dialog import ExportDialog


def test_a_picture_is_exported_in_several_formats_and_sizes_with_its_original(opened, qtbot, tmp_path):
    session = opened.session
    session.add_step("exposure")
    session.change_step(replace(session.step, mix=0.5), "Mix")
    settle(opened, qtbot)
    dialog = ExportDialog(session.path, session.engine.source, opened.memory, opened)
    dialog.folder.setText(str(tmp_path))
    assert not dialog.with_original.isVisibleTo(dialog)
    dialog.format.setCurrentIndex(dialog.format.findData("tiff16"))
    assert dialog.with_original.isVisibleTo(dialog) and not dialog.quality.isVisibleTo(dialog)
    dialog.with_original.setChecked(True)
    row = dialog.also.add()
    assert dialog.quality.isVisibleTo(dialog)  # the other file is a JPEG
    row.room.setText("9x")
    assert not dialog.go.isEnabled() and "The size is" in dialog.note.text()
    row.room.setText("120")
    assert dialog.go.isEnabled() and "night-cleaned-120x120.jpg" in dialog.note.text()
    twin = dialog.also.add()
    twin.format.setCurrentIndex(twin.format.findData("tiff16"))
    assert not dialog.go.isEnabled() and "same name" in dialog.note.text()
    twin.drop.click()
    assert dialog.go.isEnabled() and len(dialog.also.rows) == 1
    dialog.accept()
    how = {"quality": 90, "overwrite": False, "finish": dialog.finish}
    how |= {"also": dialog.also.also, "with_original": dialog.with_original.isChecked()}
    with qtbot.waitSignal(session.exporting.saved, timeout=30000):
        session.exporting.export(dialog.target, dialog.format_name, **how)
    assert "night-cleaned-120x120.jpg" in opened.message.text.text() and not session.changed
    with tifffile.TiffFile(tmp_path / "night-cleaned.tif") as file:
        assert len(file.pages) == 2
    small = read_picture(tmp_path / "night-cleaned-120x120.jpg")
    assert max(small.width, small.height) == 120
    again = ExportDialog(session.path, session.engine.source, opened.memory, opened)
    assert again.also.to_json() == [["jpeg", "120"]] and again.with_original.isChecked()
    session.exporting.export(dialog.target, dialog.format_name, **how)  # both are there by now
    qtbot.waitUntil(lambda: "already" in opened.message.text.text(), timeout=30000)


def test_rows_that_make_no_sense_are_not_taken_up_again(qtbot):
    field = AlsoField([["jpeg", "800"], ["gif", ""], "nonsense", ["png", 3], *[["png16", ""]] * 9])
    qtbot.addWidget(field)
    assert [also.format for also in field.also] == ["jpeg", "png16", "png16", "png16"]
    assert not field.add_button.isVisibleTo(field)
    field.rows[0].drop.click()
    assert field.add_button.isVisibleTo(field) and len(field.also) == 3
