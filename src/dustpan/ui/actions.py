"""All that can be done in the window: one table of menus, names, keys and tips."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMainWindow, QMenu

from dustpan.ui.translation import tr


@dataclass(frozen=True)
class Entry:
    """One action: its menu, id, words, key and tip; checkable ones stay as they are put."""

    menu: str
    name: str
    text: str
    key: str
    tip: str
    checkable: bool = False


TABLE = (
    Entry("File", "open", "Open …", "Ctrl+O", "Open pictures"),
    Entry("File", "recent", "Recent", "", "Pictures opened recently"),
    Entry("File", "next_picture", "Next picture", "PgDown", "Go to the next of the pictures opened together"),
    Entry("File", "previous_picture", "Previous picture", "PgUp", "Go to the one before it"),
    Entry("File", "reread", "Read again", "F5", "Read the file again and keep the route, when it has changed"),
    Entry("File", "combine", "Combine frames …", "Ctrl+Shift+O", "Make one picture of many exposures of one subject"),
    Entry("File", "batch", "Batch …", "Ctrl+Shift+B", "Give one route to many pictures"),
    Entry("File", "export", "Export …", "Ctrl+E", "Render the whole picture and save it as a new file"),
    Entry(
        "File",
        "output",
        "See at output size",
        "Ctrl+Shift+E",
        "Show the picture as it would be exported: at its size, with its last sharpening",
    ),
    Entry(
        "File",
        "comparison",
        "Save a comparison …",
        "Ctrl+Shift+K",
        "Write one page for a client or a print: before and after, the proofs, the readings and the route in words",
    ),
    Entry(
        "File",
        "save_project",
        "Save project",
        "Ctrl+Alt+S",
        "Save the pictures that are open together as one file: routes, takes, proofs and how they are looked at",
    ),
    Entry("File", "save_project_as", "Save project as …", "Ctrl+Alt+Shift+S", "Save them as another file"),
    Entry(
        "File",
        "save_remedy",
        "Save route as remedy …",
        "Ctrl+S",
        "Save this route as a file, for other pictures and for the command line",
    ),
    Entry("File", "apply_remedy", "Apply remedy …", "Ctrl+R", "Take the route of a remedy file for this picture"),
    Entry(
        "File",
        "cancel",
        "Cancel the work under way",
        "Esc",
        "End a drag or a pick, close a message, or stop the newest work under way; everything stays as it was",
    ),
    Entry("File", "quit", "Quit", "Ctrl+Q", "Close the window"),
    Entry("Edit", "undo", "Undo", "Ctrl+Z", "Take the last change back"),
    Entry("Edit", "redo", "Redo", "Ctrl+Shift+Z", "Do it again"),
    Entry(
        "Edit",
        "states",
        "Takes and history …",
        "Ctrl+H",
        "Takes to go back to and to compare with, and every change so far",
    ),
    Entry("Edit", "copy", "Copy step", "Ctrl+C", "Copy the chosen card as text"),
    Entry("Edit", "copy_route", "Copy route", "Ctrl+Shift+C", "Copy the whole route as text"),
    Entry("Edit", "paste", "Paste", "Ctrl+V", "Paste a value, a card or a route into the same place of this window"),
    Entry("Route", "propose", "Propose a route", "Ctrl+P", "Measure the picture and lay out the steps it needs"),
    Entry(
        "Route",
        "propose_always",
        "Propose when opening",
        "Ctrl+Alt+P",
        "Propose a route for each picture that is opened without one",
        True,
    ),
    Entry("Route", "shelf", "Remedies …", "Ctrl+Shift+R", "Kept routes by camera and ISO, and those for a need"),
    Entry("Route", "add", "Add a step …", "A", "Search the list of steps; a new one lands where its stage stands"),
    Entry("Route", "switch", "Step on or off", "X", "Turn the chosen step, or the part at hand, on or off"),
    Entry("Route", "previous", "Previous step", ",", "Choose the step before"),
    Entry("Route", "next", "Next step", ".", "Choose the step after"),
    Entry("Route", "earlier", "Move step earlier", "Ctrl+Left", "Move the chosen step to the left"),
    Entry("Route", "later", "Move step later", "Ctrl+Right", "Move the chosen step to the right"),
    Entry("Route", "duplicate", "Duplicate step", "Ctrl+D", "Add a copy after the chosen step, or the part at hand"),
    Entry("Route", "rename", "Rename step …", "F2", "Give the chosen step a name of your own"),
    Entry("Route", "remove", "Remove step", "Del", "Take the chosen step, or the part at hand, out"),
    Entry(
        "Route",
        "learn",
        "Learn hot pixels …",
        "Ctrl+Shift+H",
        "Keep a camera's bad pixels, as dark frames of one ISO and exposure show them",
    ),
    Entry(
        "Route",
        "learn_noise",
        "Learn a camera's noise …",
        "Ctrl+Shift+N",
        "Measure pictures at several ISOs, and keep their noise for busy pictures of that camera",
    ),
    Entry("View", "alone", "The picture alone", "F11", "Show nothing but the picture, on the whole screen", True),
    Entry("View", "controls", "Controls", "F6", "Show the controls of the step, or fold them away", True),
    Entry("View", "strip", "Proofs and readings", "F7", "Show proofs and readings, or fold them away", True),
    Entry("View", "route", "Route", "F8", "Show the route, or fold it away", True),
    Entry("View", "tray", "Tray", "F9", "Show the pictures opened together beside the picture, or hide them", True),
    Entry("View", "fit", "Fit", "0", "Show the whole picture"),
    Entry("View", "zoom1", "100 %", "1", "Show actual pixels"),
    Entry("View", "zoom2", "200 %", "2", "Show each pixel as four"),
    Entry("View", "zoom4", "400 %", "4", "Show each pixel as sixteen"),
    Entry("View", "closer", "Closer", "Ctrl++", "Zoom in by one stop"),
    Entry("View", "farther", "Farther", "Ctrl+-", "Zoom out by one stop"),
    Entry(
        "View",
        "monitor",
        "Profile of the monitor …",
        "Ctrl+M",
        "Name the ICC profile file of this monitor, so that colours are shown as they are",
    ),
    Entry("View", "no_monitor", "Forget the monitor's profile", "Ctrl+Shift+M", "Show colours as on a standard screen"),
    Entry("View", "pin", "Pin a proof", "Shift+P", "Pin the place in the middle of the picture as a proof"),
    Entry("View", "pins", "Choose proofs again", "Ctrl+Shift+P", "Choose the five places again from the picture"),
    Entry("View", "frames", "Frames of the proofs", "Shift+F", "Show on the picture where the proofs are", True),
    Entry("View", "where", "Show the Where", "M", "Hatch what the chosen step leaves alone", True),
    Entry(
        "View", "where_alone", "The Where alone", "Shift+M", "Show the mask itself in grey, white where it works", True
    ),
    Entry("Route", "parts", "Parts of the Where", "W", "Show the parts of the chosen step's Where, or its settings"),
    Entry("Route", "spare", "Spare an area", "Shift+W", "Paint over what the chosen step shall leave alone"),
    Entry("Compare", "take", "Keep a take", "T", "Keep the route as it stands, to go back to and to compare with"),
    Entry("Compare", "channel", "Next channel", "N", "See brightness, colour, one channel, or what is clipped"),
    Entry(
        "Compare",
        "stretch",
        "Stretch the view",
        "Shift+S",
        "Lift a dark picture of linear light for the eye alone",
        True,
    ),
    Entry(
        "Compare",
        "take_stretch",
        "Take the stretch into the route",
        "Ctrl+Shift+S",
        "Set the stretch of the view as an Exposure step, so that it is exported too",
    ),
    Entry("Compare", "lamp", "Lamp", "B", "Light up the view, or back to 0"),
    Entry("Help", "keys", "Keys", "F1", "List all keys"),
    Entry("Help", "what", "What is this?", "Shift+F1", "Click on anything in the window to read what it does"),
    Entry("Help", "tour", "Tour", "Ctrl+F1", "Show the three hints on the picture again"),
    Entry("Help", "guide", "Guide", "Alt+F1", "Read how a picture is cleaned, in the order of the job"),
)

#: What has a meaning only with a picture, only with a chosen step, only with a step in the route.
NEED_PICTURE = (
    "alone",
    "export",
    "output",
    "comparison",
    "save_project",
    "save_project_as",
    "save_remedy",
    "apply_remedy",
    "propose",
    "add",
    "fit",
    "zoom1",
    "zoom2",
    "zoom4",
    "closer",
    "farther",
    "pin",
    "pins",
    "paste",
    "states",
    "stretch",
    "take_stretch",
    "take",
    "channel",
    "lamp",
)
NEED_STEP = (
    "switch",
    "earlier",
    "later",
    "duplicate",
    "rename",
    "remove",
    "copy",
    "where",
    "where_alone",
    "parts",
    "spare",
)
#: What acts on the picture of the main page alone: off while the output is seen.
NEED_MAIN_PAGE = ("pin", "pins", "where", "where_alone", "parts", "spare", "channel", "lamp", "stretch", "take_stretch")
NEED_ROUTE = ("previous", "next", "copy_route")
STEP_MENU = ("switch", "spare", "earlier", "later", "duplicate", "rename", "copy", "copy_route", "paste", "remove")


def make_actions(
    window: QMainWindow, runs: dict[str, Callable[[], object]]
) -> tuple[dict[str, QAction], dict[str, QMenu]]:
    """Return the actions of the table by id, and the menus they stand in; `runs` says what each does."""
    actions: dict[str, QAction] = {}
    menus: dict[str, QMenu] = {}
    bar = window.menuBar()
    assert bar is not None
    for entry in TABLE:
        action = QAction(tr(entry.text), window)
        action.setShortcut(QKeySequence(entry.key))
        action.setToolTip(tr(entry.tip))
        action.setCheckable(entry.checkable)
        if run := runs.get(entry.name):
            action.triggered.connect(lambda _=False, run=run: run())
        actions[entry.name] = action
        if entry.menu not in menus:
            menu = bar.addMenu(tr(entry.menu))
            assert menu is not None
            menu.setToolTipsVisible(True)
            menus[entry.menu] = menu
        menus[entry.menu].addAction(action)
    return actions, menus


def keys_of(menus: dict[str, QMenu]) -> list[tuple[str, list[tuple[str, str]]]]:
    """Return the keys of each menu's actions with what they do."""
    native = QKeySequence.SequenceFormat.NativeText
    groups = []
    for name, menu in menus.items():
        rows = [
            (a.shortcut().toString(native), a.text().rstrip(" …")) for a in menu.actions() if not a.shortcut().isEmpty()
        ]
        groups.append((name, rows))
    return groups
