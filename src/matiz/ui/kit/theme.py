"""Greys, type and the style sheet. Colour appears only in data."""

from dataclasses import dataclass
from functools import cache, lru_cache

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPalette, QPixmap
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QApplication

from ...assets import FOLDER
from ...colour.spaces import encode_sRGB, luminance

UNIT = 4
"""The grid, px."""
HIT = 28
"""Least size of anything that takes a click, px."""
SIDE_PX = 272
"""Width of what stands beside the picture."""
TEXT_PX, SMALL_PX, VALUE_PX = 12, 11, 20


def grey(lightness: float, alpha: int = 255) -> QColor:
    """A neutral of CIE lightness L*."""
    code = _code(round(lightness, 1))
    return QColor(code, code, code, alpha)


@lru_cache(maxsize=1024)
def _code(lightness: float) -> int:
    return round(255.0 * float(encode_sRGB(luminance(lightness))))


@dataclass(frozen=True)
class Theme:
    """Lightness of each part of the chrome."""

    name: str
    window: float
    panel: float
    raised: float
    line: float
    text: float
    quiet: float
    strong: float


DARK = Theme("dark", window=22, panel=27, raised=30.5, line=35.5, text=90, quiet=76, strong=97)
PRINT = Theme("print", window=75, panel=80, raised=86, line=66, text=12, quiet=26, strong=3)
_current = [DARK]


def theme() -> Theme:
    return _current[0]


def colour(part: str, alpha: int = 255) -> QColor:
    """The grey of a part of the chrome, by its name in Theme."""
    return grey(getattr(theme(), part), alpha)


# data colours: each is always joined by a label, a shape or a line style
CHANNELS = {"r": QColor(226, 106, 92), "g": QColor(104, 190, 110), "b": QColor(104, 150, 236)}


@cache
def _family() -> str:
    name = ""
    for weight in ("Regular", "Medium", "SemiBold"):
        ident = QFontDatabase.addApplicationFont(str(FOLDER / "fonts" / f"Inter-{weight}.otf"))
        name = name or QFontDatabase.applicationFontFamilies(ident)[0]
    return name


def font(px: int = TEXT_PX, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """The application's font with tabular figures."""
    made = QFont(_family())
    made.setPixelSize(px)
    made.setWeight(weight)
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


def icon(name: str, px: int = 20) -> QIcon:
    """One of our own line icons, in the colour of text."""
    svg = (FOLDER / "icons" / f"{name}.svg").read_text(encoding="utf-8")
    renderer = QSvgRenderer(svg.replace("currentColor", colour("text").name()).encode())
    pixmap = QPixmap(px * 2, px * 2)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    renderer.render(painter)
    painter.end()
    pixmap.setDevicePixelRatio(2.0)
    return QIcon(pixmap)


DRESSED = "matizDressed"
"""Property of an application that has its style and font already."""


def apply(app: QApplication, chosen: Theme = DARK) -> None:
    """Dress the whole application."""
    _current[0] = chosen
    if app.property(DRESSED) is None:  # each of these asks every widget anew
        app.setProperty(DRESSED, True)
        app.setStyle("Fusion")
        app.setFont(font())
    palette = QPalette()
    roles = QPalette.ColorRole
    for role, part in (
        (roles.Window, "window"), (roles.Base, "panel"), (roles.AlternateBase, "panel"), (roles.Button, "raised"),
        (roles.WindowText, "text"), (roles.Text, "text"), (roles.ButtonText, "text"), (roles.ToolTipBase, "raised"),
        (roles.ToolTipText, "text"), (roles.Highlight, "line"), (roles.HighlightedText, "strong"),
        (roles.PlaceholderText, "quiet"), (roles.Mid, "line"), (roles.Dark, "line"), (roles.Light, "raised"),
        (roles.Accent, "quiet"), (roles.Link, "strong"),
    ):  # fmt: skip
        palette.setColor(role, colour(part))
    palette.setColor(QPalette.ColorGroup.Disabled, roles.ButtonText, colour("quiet", 150))
    palette.setColor(QPalette.ColorGroup.Disabled, roles.Text, colour("quiet", 150))
    app.setPalette(palette)
    app.setStyleSheet(_sheet())


def _sheet() -> str:
    names = {part: colour(part).name() for part in ("window", "panel", "raised", "line", "text", "quiet", "strong")}
    names["faint"] = grey((theme().text + theme().raised) / 2).name()
    names["arrow"] = (FOLDER / "icons" / "down.svg").as_posix()
    return """
    QWidget {{ font-size: {text_px}px; }}
    #chrome {{ background: {panel}; }}
    QLabel[quiet="true"] {{ color: {quiet}; }}
    QLabel[value="true"] {{ font-size: {value_px}px; }}
    #card {{ background: {raised}; border-radius: 4px; }}
    #card QPushButton {{ background: {line}; }}
    #card QPushButton:hover {{ background: {quiet}; color: {window}; }}
    #card QPushButton[flat="true"] {{ background: transparent; }}
    QPushButton {{ background: {raised}; color: {text}; border: 0; border-radius: 3px; }}
    QPushButton {{ padding: 0 10px; min-height: {hit}px; }}
    QPushButton:hover {{ color: {strong}; background: {line}; }}
    QPushButton:focus {{ outline: 0; border: 1px solid {quiet}; }}
    QPushButton:checked {{ background: {quiet}; color: {window}; }}
    QPushButton:disabled {{ color: {faint}; }}
    QPushButton[flat="true"] {{ background: transparent; color: {quiet}; padding: 0 6px; }}
    QPushButton[flat="true"]:hover {{ color: {strong}; }}
    QPushButton[flat="true"]:checked {{ color: {strong}; background: {line}; }}
    QToolTip {{ background: {raised}; color: {text}; border: 1px solid {line}; padding: 4px; }}
    QLineEdit, QComboBox {{ background: {window}; border: 1px solid {line}; border-radius: 3px; }}
    QLineEdit, QComboBox {{ min-height: {hit}px; padding: 0 6px; }}
    QLineEdit:focus, QComboBox:focus {{ border: 1px solid {quiet}; }}
    QComboBox::drop-down {{ border: 0; width: 20px; }}
    QComboBox::down-arrow {{ image: url({arrow}); width: 12px; height: 12px; }}
    QComboBox QAbstractItemView {{ background: {panel}; border: 1px solid {line}; outline: 0; }}
    QScrollArea, QScrollArea > QWidget > QWidget, QListView {{ background: transparent; border: 0; }}
    QListView:focus {{ outline: 0; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {line}; min-height: 28px; border-radius: 3px; margin: 2px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ background: none; border: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: none; }}
    QMenu {{ background: {panel}; border: 1px solid {line}; }} QMenu::item:selected {{ background: {line}; }}
    """.format(text_px=TEXT_PX, value_px=VALUE_PX, hit=HIT - 2, **names)
