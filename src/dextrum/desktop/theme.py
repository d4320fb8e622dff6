"""Colours, fonts and sizes. Values keep a contrast of at least 7:1 in both themes (tested)."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QRect, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QPainter, QPalette
from PySide6.QtWidgets import QApplication

from dextrum.app.places import shipped
from dextrum.core.reference.judge import Verdict

FAMILY = "Inter"
LARGE_TEXT = 125
"""Percent above which hints give way to what must be read."""
SCALES = (75, 80, 90, 100, 110, 125, 150, 175, 200)


@dataclass(frozen=True)
class Theme:
    """Colours by role, as '#rrggbb'."""

    name: str
    ground: str
    panel: str
    shelf: str
    ink: str
    quiet: str
    rule: str
    band: str
    below: str
    above: str
    lit: str
    card: str
    card_ink: str
    card_quiet: str
    card_accent: str
    bar_ground: str
    edge: str

    @property
    def marks(self) -> str:
        """Which of the shipped marks are seen on its grounds."""
        return "light" if self.name == "light" else "dark"


LIGHT = Theme("light", "#F3F0E9", "#FBFAF6", "#E9E4D8", "#16232E", "#44515C", "#D8D2C4", "#CFD9D6", "#0B4C75",
              "#883306", "#FFF3D6", "#16232E", "#FBFAF6", "#C3CBD2", "#F2C79B", "#E2DCCF", "#8A8474")
DARK = Theme("dark", "#141B21", "#1A232B", "#10161B", "#F1EDE3", "#B4BEC6", "#34414C", "#2F4247", "#7CC4F2",
             "#F7AE79", "#312E1D", "#EFE9DA", "#16232E", "#3E4A55", "#883306", "#2A353F", "#6C7A86")
CONTRAST = Theme("contrast", "#000000", "#000000", "#000000", "#FFFFFF", "#FFFFFF", "#8C8C8C", "#2A5A66", "#8FD6FF",
                 "#FFC070", "#333300", "#FFFFFF", "#000000", "#1C1C1C", "#6B2600", "#4A4A4A", "#FFFFFF")
"""Ink on black, for tired or weak eyes and for a bright bench."""
THEMES = (LIGHT, DARK, CONTRAST)


class Look:
    """The theme and text size in use; one object, changed in place, so every painter sees the same."""

    def __init__(self) -> None:
        self.theme = LIGHT
        self.scale = 100
        self._fonts: dict[tuple[int, QFont.Weight], QFont] = {}

    def colour(self, role: str) -> QColor:
        return QColor(getattr(self.theme, role))

    def px(self, size: float) -> int:
        return max(1, round(size * self.scale / 100))

    def font(self, size: float = 13, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
        """Inter with tabular figures, in pixels at 100 %."""
        key = (self.px(size), weight)
        if key in self._fonts:
            return self._fonts[key]
        font = QFont(FAMILY)
        font.setPixelSize(self.px(size))
        font.setWeight(weight)
        font.setFeature(QFont.Tag("tnum"), 1)
        font.setFeature(QFont.Tag("calt"), 0)
        self._fonts[key] = font
        return font

    def verdict_colour(self, verdict: Verdict) -> QColor:
        if verdict in (Verdict.LOW, Verdict.GROUNDED, Verdict.PARTIAL_SHORT):
            return self.colour("below")
        if verdict in (Verdict.HIGH, Verdict.OPEN, Verdict.WAVERING):
            return self.colour("above")
        return self.colour("quiet" if verdict is Verdict.NOT_JUDGED else "ink")


look = Look()


def load_fonts() -> None:
    """Register the shipped fonts with Qt."""
    for file in sorted((shipped() / "fonts").glob("*.[ot]tf")):
        QFontDatabase.addApplicationFont(str(file))


def fill(painter: QPainter, rect: QRect | QRectF, colour: QColor) -> None:
    """A plain ground. With a brush: asked to fill, PySide6 first makes every named gradient known (2 ms of a start)."""
    painter.save()
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    painter.drawRect(rect)
    painter.restore()


def application() -> QApplication:
    """The one that runs."""
    running = QApplication.instance()
    assert isinstance(running, QApplication)
    return running


MOVING = (Qt.UIEffect.UI_AnimateMenu, Qt.UIEffect.UI_FadeMenu, Qt.UIEffect.UI_AnimateCombo,
          Qt.UIEffect.UI_AnimateTooltip, Qt.UIEffect.UI_FadeTooltip, Qt.UIEffect.UI_AnimateToolBox)
"""What a desktop may let fade or roll open: nothing moves here that is not a value."""


def apply(application: QApplication) -> None:
    """Palette, font and style sheet of the current theme and size, on the whole application; nothing where they are
    its already, since Qt dresses every widget anew for a sheet that is as it was."""
    t = look.theme
    sheet = _sheet(t)
    if application.styleSheet() == sheet:
        return
    palette = QPalette()
    for role, colour in ((QPalette.ColorRole.Window, t.ground), (QPalette.ColorRole.Base, t.panel),
                         (QPalette.ColorRole.AlternateBase, t.ground), (QPalette.ColorRole.Text, t.ink),
                         (QPalette.ColorRole.WindowText, t.ink), (QPalette.ColorRole.ButtonText, t.ink),
                         (QPalette.ColorRole.Button, t.panel), (QPalette.ColorRole.Highlight, t.card),
                         (QPalette.ColorRole.HighlightedText, t.card_ink),
                         (QPalette.ColorRole.PlaceholderText, t.quiet),
                         (QPalette.ColorRole.ToolTipBase, t.panel), (QPalette.ColorRole.ToolTipText, t.ink)):
        palette.setColor(role, QColor(colour))
    for effect in MOVING:
        application.setEffectEnabled(effect, False)
    application.setPalette(palette)
    application.setFont(look.font(13))
    application.setStyleSheet(sheet)


def _sheet(t: Theme) -> str:
    px = look.px
    tab_padding = 3
    return f"""
    QWidget {{ color: {t.ink}; font-size: {px(13)}px; }}
    QMainWindow, QWidget#bench {{ background: {t.ground}; }}
    QWidget#shelf {{ background: {t.shelf}; }}
    QWidget#reasoning {{ background: {t.panel}; border-left: 1px solid {t.rule}; }}
    QWidget#trail {{ background: {t.shelf}; border-top: 1px solid {t.rule}; }}
    QFrame#card {{ background: {t.card}; border-radius: 6px; }}
    QFrame#card:focus {{ border: 3px solid {t.card_accent}; }}
    QFrame#card QLabel {{ color: {t.card_ink}; background: transparent; }}
    QFrame#card QLabel#cardquiet {{ color: {t.card_quiet}; }}
    QFrame#card QLabel#cardaccent {{ color: {t.card_accent}; }}
    QFrame#card QLabel#cardtitle {{ font-size: {px(19)}px; font-weight: 600; }}
    QFrame#card QLabel#cardstrong {{ font-weight: 600; }}
    QFrame#card QLabel#cardcaution {{ border-top: 1px solid {t.card_quiet}; padding-top: {px(4)}px; }}
    QLabel#quiet {{ color: {t.quiet}; }}
    QLabel#sentence {{ font-size: {px(16)}px; font-weight: 600; }}
    QLabel#serial {{ font-size: {px(21)}px; font-weight: 700; }}
    QLabel#section {{ font-size: {px(14)}px; font-weight: 600; }}
    QLabel#hold {{ color: {t.above}; font-weight: 600; }}
    QProgressBar {{ background: {t.bar_ground}; border: none; border-radius: 4px; text-align: center; }}
    QProgressBar::chunk {{ background: {t.edge}; border-radius: 4px; }}
    QLabel#problem {{ color: {t.above}; font-weight: 600; }}
    QLabel#notice {{ background: {t.lit}; color: {t.above}; font-weight: 600; border: 1px solid {t.above};
        border-radius: 4px; padding: {px(3)}px {px(8)}px; }}
    QLabel#expected {{ font-size: {px(15)}px; }}
    QLabel#pointname {{ font-size: {px(22)}px; font-weight: 600; }}
    QLineEdit, QPlainTextEdit, QComboBox {{ background: {t.panel}; border: 1px solid {t.edge};
        border-radius: 4px; padding: {px(5)}px {px(7)}px; selection-background-color: {t.card};
        selection-color: {t.card_ink}; }}
    QLineEdit:focus, QPlainTextEdit:focus, QComboBox:focus {{ border: 2px solid {t.ink};
        padding: {px(4)}px {px(6)}px; }}
    QLineEdit#reading {{ font-size: {px(19)}px; font-weight: 600; padding: 0 {px(6)}px;
        placeholder-text-color: {t.ink}; }}
    QPushButton {{ background: {t.panel}; border: 1px solid {t.edge}; border-radius: 4px;
        padding: {px(6)}px {px(12)}px; }}
    QPushButton:hover {{ background: {t.lit}; }}
    QPushButton:focus {{ border: 2px solid {t.ink}; padding: {px(5)}px {px(11)}px; }}
    QPushButton:disabled {{ color: {t.quiet}; border-color: {t.rule}; }}
    QPushButton#tab {{ background: transparent; border: none; border-bottom: 2px solid transparent;
        border-radius: 0; padding: {px(6)}px {tab_padding}px; color: {t.quiet}; font-size: {px(14)}px; }}
    QPushButton#tab[done="true"] {{ border-bottom: 2px solid {t.ink}; color: {t.ink}; }}
    QPushButton#tab:checked {{ background: {t.card}; color: {t.card_ink}; border-radius: 4px; }}
    QPushButton#tab:focus {{ border: 1px solid {t.ink}; }}
    QLabel#key {{ font-weight: 600; }}
    QLabel#leadwords {{ font-weight: 600; }}
    QPushButton#tool {{ background: transparent; border: 1px solid transparent; border-bottom: 1px solid {t.edge};
        border-radius: 0; padding: {px(3)}px {px(6)}px; }}
    QPushButton#tool:hover {{ background: {t.lit}; }}
    QPushButton#tool:focus {{ border: 2px solid {t.ink}; padding: {px(2)}px {px(5)}px; }}
    QMenu {{ background: {t.panel}; border: 1px solid {t.edge}; padding: {px(4)}px; }}
    QMenu::item {{ padding: {px(5)}px {px(16)}px; }}
    QMenu::item:selected {{ background: {t.card}; color: {t.card_ink}; }}
    QMenu::item:disabled {{ color: {t.quiet}; }}
    QPushButton#small {{ padding: {px(2)}px {px(8)}px; }}
    QPushButton#choice {{ padding: {px(5)}px {px(10)}px; }}
    QPushButton#choice:checked {{ background: {t.card}; color: {t.card_ink}; border-color: {t.card}; }}
    QListView, QTreeWidget, QTextBrowser, QScrollArea {{ background: transparent; border: none; outline: 0; }}
    QWidget#plot {{ border: 2px solid transparent; }}
    QWidget#plot:focus {{ border: 2px solid {t.ink}; }}
    QListView {{ border: 2px solid transparent; }}
    QListView:focus {{ border: 2px solid {t.ink}; }}
    QTextBrowser {{ background: {t.panel}; border: 1px solid {t.rule}; }}
    QTableView {{ background: {t.panel}; border: 2px solid {t.rule}; outline: 0; }}
    QTableView:focus {{ border: 2px solid {t.ink}; }}
    QTableView#plain {{ selection-background-color: {t.lit}; selection-color: {t.ink}; }}
    QTextBrowser:focus {{ border: 2px solid {t.ink}; }}
    QHeaderView, QTableView QTableCornerButton::section {{ background: {t.shelf}; border: none; }}
    QHeaderView::section {{ background: {t.shelf}; color: {t.ink}; border: none; padding: {px(2)}px {px(6)}px;
        border-bottom: 1px solid {t.rule}; font-size: {px(12)}px; }}
    QTreeWidget::item {{ padding: {px(3)}px; }}
    QTreeWidget::item:selected {{ background: {t.card}; color: {t.card_ink}; }}
    QComboBox::drop-down {{ border: none; width: {px(20)}px; }}
    QComboBox::down-arrow {{ width: {px(11)}px; height: {px(11)}px;
        image: url("{(shipped() / "marks" / f"down-{t.marks}.svg").as_posix()}"); }}
    QCheckBox {{ spacing: {px(8)}px; padding: {px(3)}px 0; }}
    QCheckBox:focus {{ background: {t.lit}; }}
    QCheckBox::indicator {{ width: {px(15)}px; height: {px(15)}px; border: 1px solid {t.edge};
        border-radius: 3px; background: {t.panel}; }}
    QCheckBox::indicator:checked {{ background: {t.card}; border-color: {t.card};
        image: url("{(shipped() / "marks" / f"tick-{t.marks}.svg").as_posix()}"); }}
    QFrame#palette {{ background: {t.panel}; border: 1px solid {t.edge}; border-radius: 6px; }}
    QScrollBar:vertical {{ background: transparent; width: {px(10)}px; }}
    QScrollBar:horizontal {{ background: transparent; height: {px(10)}px; }}
    QScrollBar::handle {{ background: {t.rule}; border-radius: 4px; min-height: 24px; min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QToolTip {{ background: {t.panel}; color: {t.ink}; border: 1px solid {t.edge}; }}
    """
