"""Colours, fonts and the style sheet: neutral greys, one accent for what is chosen, one for harm."""

from __future__ import annotations

from dataclasses import dataclass
from importlib.resources import files

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QFontMetrics, QPainter, QPalette
from PyQt6.QtWidgets import QApplication, QWidget

VERDIGRIS = "#5FB3A1"
MADDER = "#C8665A"
MADDER_WORDS = "#E28C80"  # the same, light enough to be read


@dataclass(frozen=True)
class Greys:
    """The neutral tones of a surround, from the darkest ground to the clearest text."""

    ground: str = "#1F2122"
    panel: str = "#2B2D2F"
    bar: str = "#303335"
    raised: str = "#383B3D"
    line: str = "#45494C"
    faint: str = "#A3A9AB"
    text: str = "#DADDDE"
    bright: str = "#FFFFFF"


GREYS = Greys()
#: What surrounds the picture; the eye judges brightness against it.
SURROUNDS = {"dark": "#1F2122", "middle": "#767676", "light": "#D8D8D8"}


def colour(name: str, alpha: int = 255) -> QColor:
    """Return a colour of the theme by name, or by its code."""
    found = QColor(getattr(GREYS, name, name))
    found.setAlpha(alpha)
    return found


def load_fonts() -> None:
    """Register the shipped fonts."""
    for entry in files("dustpan.ui.widgets").joinpath("fonts").iterdir():
        if entry.name.endswith(".otf"):
            QFontDatabase.addApplicationFontFromData(entry.read_bytes())


def font(points: float = 9.5, *, bold: bool = False) -> QFont:
    """Return the interface font."""
    chosen = QFont("B612")
    chosen.setPointSizeF(points)
    chosen.setBold(bold)
    return chosen


def metrics(points: float = 9.5, *, bold: bool = False) -> QFontMetrics:
    """Return the measures of the interface font."""
    return QFontMetrics(font(points, bold=bold))


def paint_on_ground(widget: QWidget) -> QPainter:
    """Return a painter of a widget that draws itself, on its rounded ground."""
    painter = QPainter(widget)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour("ground"))
    painter.drawRoundedRect(QRectF(widget.rect()), 5, 5)
    return painter


def apply(app: QApplication) -> None:
    """Give the application its fonts, palette and style sheet."""
    load_fonts()
    app.setStyle("Fusion")
    app.setFont(font())
    palette = QPalette()
    for role, name in (
        (QPalette.ColorRole.Window, "panel"),
        (QPalette.ColorRole.Base, "ground"),
        (QPalette.ColorRole.Button, "raised"),
        (QPalette.ColorRole.WindowText, "text"),
        (QPalette.ColorRole.Text, "text"),
        (QPalette.ColorRole.ButtonText, "text"),
        (QPalette.ColorRole.ToolTipBase, "raised"),
        (QPalette.ColorRole.ToolTipText, "text"),
        (QPalette.ColorRole.Highlight, VERDIGRIS),
        (QPalette.ColorRole.HighlightedText, "ground"),
        (QPalette.ColorRole.PlaceholderText, "faint"),
        (QPalette.ColorRole.AlternateBase, "panel"),
    ):
        palette.setColor(role, colour(name))
    for role in (QPalette.ColorRole.WindowText, QPalette.ColorRole.Text, QPalette.ColorRole.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, colour("#6B7073"))
    app.setPalette(palette)
    app.setStyleSheet(_SHEET)


_SHEET = f"""
QMenuBar {{ background: {GREYS.bar}; padding: 1px 6px; }}
QMenuBar::item {{ padding: 3px 9px; border-radius: 4px; }}
QMenuBar::item:selected, QMenu::item:selected {{ background: {GREYS.raised}; color: {GREYS.bright}; }}
QMenu {{ background: {GREYS.panel}; border: 1px solid {GREYS.line}; padding: 4px; }}
QMenu::item {{ padding: 5px 22px 5px 14px; border-radius: 4px; }}
QMenu::separator {{ height: 1px; background: {GREYS.line}; margin: 4px 8px; }}
QMenu::item:disabled {{ color: #6B7073; }}
QToolTip {{ background: {GREYS.raised}; color: {GREYS.text}; border: 1px solid {GREYS.line}; padding: 4px; }}
QPushButton {{ background: {GREYS.raised}; border: 1px solid {GREYS.raised}; border-radius: 6px; padding: 5px 14px; }}
QPushButton:hover {{ border-color: {GREYS.line}; color: {GREYS.bright}; }}
QPushButton:focus {{ border-color: {GREYS.faint}; }}
QPushButton:checked, QPushButton:pressed {{ background: #2C4A44; border-color: {VERDIGRIS}; color: {GREYS.bright}; }}
QPushButton:disabled {{ color: #6B7073; background: {GREYS.bar}; border-color: {GREYS.bar}; }}
QPushButton#accent {{ color: {VERDIGRIS}; }}
QPushButton#quiet {{ background: transparent; border-color: transparent; color: {VERDIGRIS}; padding: 5px 8px; }}
QPushButton#keyhole {{ background: transparent; border: none; padding: 0; }}
QPushButton#keyhole:pressed {{ background: #2C4A44; }}
QPushButton#quiet:hover, QPushButton#quiet:focus {{ border-color: {GREYS.line}; }}
QPushButton#proposal {{ background: transparent; border-color: {GREYS.line}; color: {GREYS.text}; padding: 3px 8px; }}
QPushButton#proposal:disabled {{ border-color: transparent; color: {VERDIGRIS}; }}
QPushButton#quiet:disabled {{ color: #6B7073; }}
QLineEdit, QComboBox {{ background: {GREYS.ground}; border: 1px solid {GREYS.line}; border-radius: 5px;
    padding: 3px 8px; }}
QLineEdit:focus, QComboBox:focus {{ border-color: {VERDIGRIS}; }}
QLineEdit#value {{ background: transparent; border-color: transparent; padding: 0 3px; }}
QLineEdit#value:hover {{ border-color: {GREYS.line}; }}
QLineEdit#value:focus {{ background: {GREYS.ground}; border-color: {VERDIGRIS}; }}
QComboBox::drop-down {{ border: none; width: 20px; }}
QComboBox::down-arrow {{ width: 0; height: 0; border-left: 4px solid {GREYS.bar}; border-right: 4px solid {GREYS.bar};
    border-top: 5px solid {GREYS.text}; margin-right: 8px; }}
QHeaderView::section {{ background: {GREYS.bar}; color: {GREYS.faint}; border: none; padding: 5px 8px; }}
QTreeWidget::item {{ padding: 3px 6px; }}
QComboBox QAbstractItemView {{ background: {GREYS.panel}; border: 1px solid {GREYS.line}; }}
QCheckBox::indicator {{ width: 13px; height: 13px; border: 1px solid {GREYS.faint}; border-radius: 3px;
    background: {GREYS.ground}; }}
QCheckBox::indicator:checked {{ background: {VERDIGRIS}; border-color: {VERDIGRIS}; }}
QCheckBox:focus {{ color: {GREYS.bright}; }}
QProgressBar {{ background: {GREYS.ground}; border: none; border-radius: 3px; max-height: 6px; }}
QProgressBar::chunk {{ background: {VERDIGRIS}; border-radius: 3px; }}
QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
QScrollBar:vertical, QScrollBar:horizontal {{ background: transparent; width: 8px; height: 8px; margin: 0; }}
QScrollBar::handle {{ background: {GREYS.line}; border-radius: 4px; min-height: 24px; min-width: 24px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QFrame#steplist {{ background: {GREYS.panel}; border: 1px solid {GREYS.line}; }}
QListWidget, QTreeWidget, QTextBrowser {{ background: {GREYS.ground}; border: 1px solid transparent;
    border-radius: 5px; }}
QListWidget:focus, QTreeWidget:focus, QTextBrowser:focus {{ border-color: {VERDIGRIS}; }}
QListWidget::item:selected, QTreeWidget::item:selected {{ background: #2C4A44; color: {GREYS.bright}; }}
QListWidget::item {{ padding: 2px 4px; }}
QListWidget::item:hover {{ background: {GREYS.raised}; }}
QLabel#faint {{ color: {GREYS.faint}; }}
QLabel#kept {{ color: {VERDIGRIS}; }}
QWidget#findings {{ background: {GREYS.panel}; }}
QFrame#chip, QFrame#harm {{ background: {GREYS.raised}; border: 1px solid {GREYS.line}; border-radius: 11px; }}
QFrame#harm {{ border-color: {MADDER}; }}
QPushButton#chip {{ background: transparent; border: none; padding: 3px 8px; }}
QPushButton#chip:checked {{ color: {GREYS.bright}; text-decoration: underline; }}
QFrame#chip QPushButton#quiet {{ padding: 3px 8px 3px 0; border: none; }}
QWidget#header, QWidget#bar, QWidget#strip {{ background: {GREYS.bar}; }}
QWidget#strip {{ border-top: 1px solid {GREYS.ground}; }}
QWidget#bar QPushButton {{ padding: 4px 8px; }}
QWidget#bar QPushButton#quiet {{ padding: 4px 2px; }}
QWidget#bar QComboBox {{ padding: 2px 4px 2px 7px; }}
QWidget#route {{ background: {GREYS.panel}; }}
QWidget#panel {{ background: {GREYS.bar}; }}
QDialog {{ border: 1px solid {GREYS.line}; }}
QFrame#message {{ background: {GREYS.raised}; border: 1px solid {MADDER}; border-radius: 6px; }}
"""
