"""What the desktop's assistive bus tells of the window, and whether it can be driven through it; prints faults.

dbus-run-session -- python -m tests.ui.assistive     on a display: without one there is no bus.
"""

from __future__ import annotations

import contextlib
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from jeepney import DBusAddress, MessageType, new_method_call
from jeepney.io.blocking import DBusConnection, open_dbus_connection
from PyQt6.QtWidgets import QApplication

from dustpan.core.work.pool import Pool
from dustpan.simulate.scenes import noisy_picture
from dustpan.ui.memory import Memory
from dustpan.ui.session.kept import KeptWork
from dustpan.ui.widgets import theme
from dustpan.ui.window import Window

LAUNCHERS = ("/usr/libexec/at-spi-bus-launcher", "/usr/lib/at-spi2-core/at-spi-bus-launcher")
_IFACE = "org.a11y.atspi."
_FOCUSABLE, _SHOWING = 11, 25  # states
_LABELLED_BY = 2  # a relation
#: What a stop of the keyboard may be to assistive tools: each tells what can be done with it.
_ROLES = {"push button", "check box", "toggle button", "button menu", "slider", "text", "combo box", "list", "panel"}
_SAID_BY_CHOICE = ("against ", "See ")  # choices that say themselves what they are about


class Gone(Exception):
    """An element went away while it was read."""


@dataclass(frozen=True)
class Element:
    """What the bus tells of one part of the window."""

    at: tuple[str, str]
    role: str
    name: str
    states: frozenset[int]


class Bus:
    """The assistive bus, asked as a screen reader asks it."""

    def __init__(self) -> None:
        session = open_dbus_connection("SESSION")
        self._bus: DBusConnection = session
        (address,) = self.ask(("org.a11y.Bus", "/org/a11y/bus"), "org.a11y.Bus", "GetAddress")
        self._bus = open_dbus_connection(address)

    def ask(self, at: tuple[str, str], iface: str, method: str, signature: str | None = None, body: tuple = ()) -> Any:
        """Return what a method answers."""
        address = DBusAddress(at[1], bus_name=at[0], interface=iface)
        answer = self._bus.send_and_get_reply(new_method_call(address, method, signature, body), timeout=20)
        if answer.header.message_type is MessageType.error:
            raise Gone(f"{method} of {at}: {answer.body}")
        return answer.body

    def told(self, at: tuple[str, str], iface: str, name: str) -> Any:
        """Return a property."""
        (answer,) = self.ask(at, "org.freedesktop.DBus.Properties", "Get", "ss", (_IFACE + iface, name))
        return answer[1]

    def elements(self, at: tuple[str, str] = ("org.a11y.atspi.Registry", "/org/a11y/atspi/accessible/root")):
        """Yield what is shown, parents first; a desktop and an application are never shown themselves."""
        (words,) = self.ask(at, _IFACE + "Accessible", "GetState")
        states = frozenset(n for n in range(64) if words[n // 32] >> n % 32 & 1)
        (role,) = self.ask(at, _IFACE + "Accessible", "GetRoleName")
        yield Element(at, role, self.told(at, "Accessible", "Name"), states)
        if _SHOWING in states or role in ("desktop frame", "application"):
            (children,) = self.ask(at, _IFACE + "Accessible", "GetChildren")
            for child in children:
                yield from self.elements(child)

    def labelled(self, element: Element) -> bool:
        """Tell whether a label belongs to an element."""
        (relations,) = self.ask(element.at, _IFACE + "Accessible", "GetRelationSet")
        return any(kind == _LABELLED_BY for kind, _ in relations)

    def press(self, element: Element) -> None:
        """Do what a click does."""
        self.ask(element.at, _IFACE + "Action", "DoAction", "i", (0,))

    def set_value(self, element: Element, value: float) -> None:
        """Move a slider."""
        body = (_IFACE + "Value", "CurrentValue", ("d", value))
        self.ask(element.at, "org.freedesktop.DBus.Properties", "Set", "ssv", body)


def faults_in(window: Window, bus: Bus) -> Iterator[str]:
    """What a person could not read or do who only has the bus."""
    bus.press(_wait_for(bus, "Noise left")["Propose a route"])
    elements = _wait_for(bus, "Step Noise, on, chosen").values()
    stops = [e for e in elements if {_FOCUSABLE, _SHOWING} <= e.states and e.role != "frame"]
    if len(stops) < 40:
        yield f"only {len(stops)} stops"
    for stop in stops:
        if not stop.name.strip() or stop.role not in _ROLES:
            yield f"a {stop.role} called {stop.name!r}"
        if stop.role == "combo box" and not (stop.name.startswith(_SAID_BY_CHOICE) or bus.labelled(stop)):
            yield f"a choice without a label: {stop.name!r}"
    by_name = {(stop.role, stop.name): stop for stop in stops}
    luminance = by_name["slider", "Luminance"]
    bus.set_value(luminance, round(bus.told(luminance.at, "Value", "MaximumValue") * 0.4))
    if not _comes_true(lambda: window.session.step.params.luminance == 40):
        yield f"the slider at 40 % gave {window.session.step.params.luminance}"
    bus.press(by_name["push button", "Edge of the route"])
    if not _comes_true(lambda: not window.route_bar.isVisible()):
        yield "the route was not folded away"


def _wait_for(bus: Bus, name: str) -> dict[str, Element]:
    """Return the elements by their names as soon as there is one of a name."""
    end = time.monotonic() + 30
    while time.monotonic() < end:
        with contextlib.suppress(Gone):
            found = {element.name: element for element in bus.elements()}
            if name in found:
                return found
        time.sleep(0.5)  # reading all of it keeps the window busy
    raise TimeoutError(f"no {name}")


def _comes_true(asked) -> bool:
    end = time.monotonic() + 10
    while not asked() and time.monotonic() < end:
        time.sleep(0.05)
    return asked()


def main() -> int:
    """Return the number of faults."""
    launcher = subprocess.Popen([next(p for p in LAUNCHERS if Path(p).exists()), "--launch-immediately"])
    time.sleep(0.5)
    app = QApplication(sys.argv[:1])
    theme.apply(app)
    faults: list[str] = []
    with tempfile.TemporaryDirectory() as folder:
        window = Window(Pool(2), Memory(Path(folder) / "window.ini"), KeptWork(None))
        window.resize(1280, 800)
        window.show()
        window.session.opening.open_from(lambda: noisy_picture("bench", size=(300, 200)), "bench")

        def read() -> None:
            try:
                faults.extend(faults_in(window, Bus()))
            except Exception as error:
                faults.append(repr(error))

        reader = threading.Thread(target=read, daemon=True)
        reader.start()
        while reader.is_alive():
            app.processEvents()
            time.sleep(0.001)
        window.close_at_once()
    launcher.terminate()
    print(*faults, sep="\n")
    return len(faults)


if __name__ == "__main__":
    sys.exit(main())
