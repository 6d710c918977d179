"""Colours, type and spacing in one place, and the style sheet made from them."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtGui import QColor, QFontDatabase

FONTS = Path(__file__).parents[1] / "fonts"
FAMILY = "Lato"
ROW = 28
STEP = 8
RADIUS = 6


@dataclass(frozen=True)
class Tokens:
    """Every colour of the window. `ground` is the 3D view's; contacts are `pale` in a dark `rim`."""

    paper: str
    card: str
    line: str
    ink: str
    muted: str
    ivy: str
    ivy_wash: str
    on_ivy: str
    copper: str
    verdigris: str
    heather: str
    pale: str
    rim: str
    slate: str
    straw: str
    ochre: str
    plum: str
    stop: str
    caution: str
    note: str
    fine: str
    ground: str
    plate: str
    plate_line: str
    part_tints: tuple[str, ...]


DAY = Tokens(
    paper="#F5F2EA", card="#FFFDF7", line="#D8D2C2", ink="#22302B", muted="#58605A", ivy="#2F6B57",
    ivy_wash="#DCE8DF", on_ivy="#FFFDF7", copper="#B5652B", verdigris="#4E9C93", heather="#6A5D8C", slate="#5B5F63",
    straw="#E9DDB0", ochre="#C98F3C", plum="#7A2E55", stop="#9B2C3F", caution="#B9831F", note="#527080",
    pale="#FFFDF7", rim="#22302B",
    fine="#2F6B57", ground="#DDE5DA", plate="#C9CFC2", plate_line="#AEB6A8",
    part_tints=("#B9A88F", "#A3A8B5", "#BFA39A", "#9C9384", "#B5A5AD", "#8E979E"),
)  # fmt: skip

NIGHT = Tokens(
    paper="#1E2623", card="#262F2B", line="#3D4843", ink="#E9E6DB", muted="#B2BBB3", ivy="#7FC4A9",
    ivy_wash="#31473E", on_ivy="#17211D", copper="#D98A4E", verdigris="#76BFB6", heather="#A79BCB", slate="#A4A9AD",
    straw="#E9DDB0", ochre="#D9A251", plum="#C77BA2", stop="#E88A98", caution="#E0B356", note="#9CBAC7",
    pale="#FFFDF7", rim="#17211D",
    fine="#7FC4A9", ground="#37423C", plate="#4A554E", plate_line="#5E6A62",
    part_tints=("#B9A88F", "#A3A8B5", "#BFA39A", "#9C9384", "#B5A5AD", "#8E979E"),
)  # fmt: skip


def rgb(colour: str) -> tuple[float, float, float]:
    """A token as three numbers from 0 to 1."""
    made = QColor(colour)
    return made.redF(), made.greenF(), made.blueF()


def mixed(one: str, other: str, share: float) -> str:
    """The colour between two tokens: `share` 0 is the first, 1 the other."""
    shades = (round(255 * (a + (b - a) * share)) for a, b in zip(rgb(one), rgb(other), strict=True))
    return QColor(*shades).name()


def load_fonts() -> None:
    """Make the shipped family known to Qt."""
    for path in sorted(FONTS.glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(path))


def style_sheet(t: Tokens) -> str:
    """The style sheet made from tokens."""
    arrow = (Path(__file__).parent / "icons" / "chevron.svg").as_posix()
    tick = (Path(__file__).parent / "icons" / "tick.svg").as_posix()
    return f"""
QWidget {{ background: {t.paper}; color: {t.ink}; }}
QLabel, QCheckBox, QRadioButton {{ background: transparent; }}
QLabel[role="title"] {{ font-size: 17px; font-weight: 700; }}
QLabel[role="head"] {{ font-weight: 700; color: {t.ink}; padding: 6px 0 0 0; margin: 0; }}
QLabel[role="muted"] {{ color: {t.muted}; }}
QLabel[role="figure"] {{ font-weight: 500; }}
QLabel[role="warn"] {{ background: {t.card}; border-left: 4px solid {t.caution}; padding: 6px 8px; }}
QLabel[role="stop"] {{ background: {t.card}; border-left: 4px solid {t.stop}; padding: 6px 8px; }}
QLabel[role="good"] {{ background: {t.card}; border-left: 4px solid {t.fine}; padding: 6px 8px; }}
QFrame[role="rule"] {{ background: {t.line}; max-height: 1px; min-height: 1px; border: none; }}
QWidget#header, QWidget#statusline, QWidget#viewbar {{ background: {t.paper}; }}
QWidget#header {{ border-bottom: 1px solid {t.line}; }}
QWidget#statusline {{ border-top: 1px solid {t.line}; }}
QDialogButtonBox {{ dialogbuttonbox-buttons-have-icons: 0; }}
QMenuBar {{ background: {t.paper}; padding: 2px 6px; }}
QMenuBar::item {{ padding: 4px 9px; border-radius: 4px; background: transparent; }}
QMenuBar::item:selected {{ background: {t.ivy_wash}; }}
QMenu {{ background: {t.card}; border: 1px solid {t.line}; padding: 4px; }}
QMenu::item {{ padding: 5px 26px 5px 12px; border-radius: 4px; }}
QMenu::item:selected {{ background: {t.ivy_wash}; }}
QMenu::item:disabled {{ color: {t.muted}; }}
QMenu::separator {{ height: 1px; background: {t.line}; margin: 4px 8px; }}
QToolTip {{ background: {t.card}; color: {t.ink}; border: 1px solid {t.line}; padding: 4px; }}
QPushButton {{ background: {t.card}; border: 1px solid {t.line}; border-radius: {RADIUS}px; padding: 4px 12px;
  min-height: {ROW - 10}px; }}
QPushButton:hover {{ border-color: {t.ivy}; }}
QPushButton:focus {{ border: 1px solid {t.ivy}; }}
QPushButton:pressed, QPushButton:checked {{ background: {t.ivy_wash}; border-color: {t.ivy}; }}
QPushButton:disabled {{ color: {t.muted}; background: {t.paper}; }}
QPushButton[role="main"] {{ background: {t.ivy}; color: {t.on_ivy}; border-color: {t.ivy}; font-weight: 700; }}
QPushButton[role="main"]:disabled {{ background: {t.line}; color: {t.muted}; border-color: {t.line}; }}
QPushButton[role="quiet"] {{ background: transparent; border: 1px solid transparent; padding: 3px 8px;
  text-align: left; }}
QPushButton[role="quiet"]:hover {{ border-color: {t.line}; }}
QPushButton[role="quiet"]:checked {{ background: {t.ivy_wash}; border-color: {t.ivy}; }}
QPushButton[role="fold"] {{ background: transparent; border: none; border-bottom: 1px solid {t.line}; border-radius: 0;
  text-align: left; font-weight: 700; padding: 5px 2px; }}
QPushButton[role="narrow"] {{ padding: 4px 6px; }}
QPushButton[role="group"] {{ background: transparent; border: none; border-radius: 0; min-height: 16px;
  text-align: left; font-weight: 700; padding: 2px; }}
QPushButton[role="group"]:focus {{ color: {t.ivy}; }}
QPushButton[role="back"] {{ background: transparent; border: none; color: {t.muted}; padding: 2px 4px;
  min-height: 16px; }}
QPushButton[role="back"]:hover {{ color: {t.ivy}; }}
QToolButton[role="card"] {{ background: {t.card}; border: 1px solid {t.line}; border-radius: {RADIUS}px;
  padding: 5px; font-weight: 700; }}
QToolButton[role="card"]:hover, QToolButton[role="card"]:focus {{ border-color: {t.ivy}; }}
QTabWidget::pane {{ border: none; border-top: 1px solid {t.line}; }}
QTabBar {{ background: transparent; qproperty-drawBase: 0; }}
QTabBar::tab {{ background: transparent; color: {t.muted}; padding: 6px 10px; border: none;
  border-bottom: 2px solid transparent; }}
QTabBar::tab:hover {{ color: {t.ink}; }}
QTabBar::tab:selected {{ color: {t.ink}; font-weight: 700; border-bottom: 2px solid {t.ivy}; }}
QTabBar::tab:focus {{ color: {t.ivy}; }}
QLineEdit, QComboBox {{ background: {t.card}; border: 1px solid {t.line}; border-radius: {RADIUS}px; padding: 2px 8px;
  min-height: {ROW - 8}px; selection-background-color: {t.ivy}; selection-color: {t.on_ivy}; }}
QLineEdit:focus, QComboBox:focus {{ border: 1px solid {t.ivy}; }}
QLineEdit[wrong="true"] {{ border: 1px solid {t.stop}; }}
QLineEdit[differs="true"], QComboBox[differs="true"] {{ border-left: 4px solid {t.ochre}; }}
QLineEdit:disabled, QComboBox:disabled {{ color: {t.muted}; background: {t.paper}; }}
QComboBox::drop-down {{ border: none; width: 22px; }}
QComboBox::down-arrow {{ image: url({arrow}); width: 10px; height: 10px; }}
QComboBox QAbstractItemView {{ background: {t.card}; border: 1px solid {t.line};
  selection-background-color: {t.ivy_wash};
  selection-color: {t.ink}; outline: none; }}
QCheckBox {{ spacing: 7px; min-height: {ROW - 4}px; }}
QCheckBox::indicator {{ width: 15px; height: 15px; border: 1px solid {t.muted}; border-radius: 3px;
  background: {t.card}; }}
QCheckBox::indicator:checked {{ background: {t.ivy}; border-color: {t.ivy}; image: url({tick}); }}
QRadioButton {{ spacing: 6px; }}
QRadioButton::indicator {{ width: 13px; height: 13px; border: 1px solid {t.muted}; border-radius: 7px;
  background: {t.card}; }}
QRadioButton::indicator:checked {{ background: {t.ivy}; border: 1px solid {t.ivy}; }}
QRadioButton:focus, QCheckBox:focus {{ color: {t.ivy}; }}
QTableView, QListView {{ background: {t.card}; alternate-background-color: {t.card}; border: 1px solid {t.line};
  border-radius: {RADIUS}px; gridline-color: transparent; selection-background-color: {t.ivy_wash};
  selection-color: {t.ink}; outline: none; }}
QTableView::item {{ padding: 0 6px; border-bottom: 1px solid {t.paper}; }}
QTableView::item:selected {{ background: {t.ivy_wash}; color: {t.ink}; }}
QTableView QLineEdit {{ border-radius: 0; padding: 0 4px; min-height: 0; }}
QHeaderView {{ background: {t.card}; }}
QHeaderView::section {{ background: {t.card}; color: {t.muted}; border: none; border-bottom: 1px solid {t.line};
  padding: 4px 9px; }}
QHeaderView::up-arrow, QHeaderView::down-arrow {{ subcontrol-position: center left; width: 8px; }}
QScrollArea {{ border: none; }}
QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
QScrollBar::handle:vertical {{ background: {t.line}; border-radius: 4px; min-height: 24px; margin: 1px; }}
QScrollBar::handle:vertical:hover {{ background: {t.muted}; }}
QScrollBar:horizontal {{ background: transparent; height: 10px; }}
QScrollBar::handle:horizontal {{ background: {t.line}; border-radius: 4px; min-width: 24px; margin: 1px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
QProgressBar {{ background: {t.line}; border: none; border-radius: 3px; max-height: 6px; min-height: 6px; }}
QProgressBar::chunk {{ background: {t.ivy}; border-radius: 3px; }}
QSlider::groove:horizontal {{ height: 4px; background: {t.line}; border-radius: 2px; }}
QSlider::handle:horizontal {{ background: {t.ivy}; width: 14px; height: 14px; margin: -5px 0; border-radius: 7px; }}
QSplitter::handle {{ background: {t.line}; }}
QDialog#palette {{ border: 1px solid {t.ivy}; background: {t.card}; }}
"""
