"""Volts and amps over time: traces of both ways up, the profile's bands behind them, cursors, states as a ribbon.

The plot library is imported when the first trace is shown, not with the start.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QBrush, QColor, QFont, QKeyEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QGraphicsItem, QGraphicsView, QSizePolicy, QVBoxLayout, QWidget

from dextrum.app.commands import BY_ID
from dextrum.desktop.frame.elided_label import ElidedLabel
from dextrum.desktop.frame.named_places import NAMED_AFTER, NamedPlaces
from dextrum.desktop.supply.trace_curve import TraceCurve
from dextrum.desktop.theme import look
from dextrum.tongue import tr

LEAST_PLOT = 190
"""Pixels of both curves together, below which a time axis would not be read: the view scrolls then."""
AXIS_WIDTH = 46
STEP, LEAP = 0.01, 0.1
ZOOM = 1.5
RIBBON_ROW = 22
RIGHT_MARGIN = 8
BAND_WORDS_ROOM = 0.2  # of the plot's height: a line of text, with air, on the smallest plot
LEAST_AMPS, LEAST_VOLTS = 0.2, 6.0
LEAST_SPAN = 1.0


@dataclass(frozen=True)
class Block:
    """A stretch of the ribbon, in seconds. known: a state of the profile, not 'unknown'."""

    start: float
    end: float
    words: str
    known: bool


@dataclass(frozen=True)
class PlotTrace:
    """One plug-in. before: of an earlier repair epoch. typed: single looks, drawn as marks. replaced: a later plug-in
    has taken its place."""

    key: str
    label: str
    orientation: str
    before: bool
    seconds: np.ndarray
    volts: np.ndarray
    amps: np.ndarray
    blocks: tuple[Block, ...]
    typed: bool = False
    replaced: bool = False


@dataclass(frozen=True)
class Band:
    """What the profile expects of a state, in amps."""

    words: str
    low: float
    high: float


def clock_words(seconds: float, fine: bool = True) -> str:
    """'0:42', '12:05', '1:20:00'; without seconds where they don't matter."""
    whole = round(abs(seconds))
    hours, rest = divmod(whole, 3600)
    sign = "-" if seconds <= -0.5 else ""
    if hours:
        return f"{sign}{hours}:{rest // 60:02d}:{rest % 60:02d}" if fine else f"{sign}{hours} h {rest // 60:02d}"
    return f"{sign}{rest // 60}:{rest % 60:02d}" if fine else tr("{sign}{rest} min", sign=sign, rest=rest // 60)


class TimeAxis(pg.AxisItem):  # type: ignore[misc]
    """Minutes after plugging in."""

    def tickSpacing(self, least: float, most: float, size: float) -> list[tuple[float, float]]:
        span = max(most - least, 1e-9)
        steps = (1, 2, 5, 10, 30, 60, 120, 300, 600, 1800, 3600, 7200, 14400)
        major = next((s for s in steps if size / (span / s) >= look.px(64)), 14400)
        return [(major, 0)]

    def tickStrings(self, values: Sequence[float], _scale: float, spacing: float) -> list[str]:
        return [clock_words(value, fine=spacing < 60) for value in values]


class ValueAxis(pg.AxisItem):  # type: ignore[misc]
    """Plain volts or amps, never in thousandths."""

    def tickSpacing(self, least: float, most: float, size: float) -> list[tuple[float, float]]:
        span = max(most - least, 1e-9)
        steps = [m * 10.0 ** e for e in range(-3, 3) for m in (1, 2, 5)]
        return [(next((s for s in steps if size / (span / s) >= look.px(24)), steps[-1]), 0)]

    def tickStrings(self, values: Sequence[float], _scale: float, spacing: float) -> list[str]:
        digits = max(0, math.ceil(-math.log10(spacing) - 1e-9)) if spacing > 0 else 0
        return [f"{value:.{digits}f}" for value in values]


class DrawRibbon(QWidget):
    """The states in words, one row a trace, under the plot's time axis."""

    def __init__(self, plot: DrawPlot) -> None:
        super().__init__()
        self.plot = plot
        self._named = NamedPlaces(self)
        self.setAccessibleName(tr("States over time"))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def rows(self) -> list[PlotTrace]:
        return [t for t in self.plot.traces if t.blocks and t.key in self.plot.shown]

    def fit(self) -> None:
        self.setFixedHeight(max(1, len(self.rows())) * look.px(RIBBON_ROW))

    def name_soon(self) -> None:
        QTimer.singleShot(NAMED_AFTER, self, self._name_stretches)

    def _name_stretches(self) -> None:
        """For a screen reader, where one is there."""
        from PySide6.QtGui import QAccessible

        if QAccessible.isActive():
            self._named.show([(self.name_of(trace, block), self._box(row, block).toRect())
                              for row, trace in enumerate(self.rows()) for block in trace.blocks])

    @staticmethod
    def name_of(trace: PlotTrace, block: Block) -> str:
        """As a screen reader says it: 'A side up, 0:00 to 2:40, small steady draw at 5 V, 5.08 V 0.064 A'."""
        words = [tr("{up} side up", up=trace.orientation.upper()) + (tr(", before") if trace.before else ""),
                 tr("{begin} to {end}", begin=clock_words(block.start), end=clock_words(block.end)), block.words]
        inside = slice(*np.searchsorted(trace.seconds, (block.start, block.end + 1e-9)))
        if inside.stop > inside.start:
            words.append(f"{float(trace.volts[inside].mean()):.2f} V {float(trace.amps[inside].mean()):.3f} A")
        return ", ".join(words)

    def _across(self) -> tuple[float, float, float, float]:
        """Left and right edge in pixels, the time at the left, pixels a second."""
        left, right = float(look.px(AXIS_WIDTH)), self.width() - float(RIGHT_MARGIN)
        low, high = self.plot.time_range()
        return left, right, low, (right - left) / max(high - low, 1e-9)

    def _box(self, row: int, block: Block) -> QRectF:
        left, _, low, scale = self._across()
        height = look.px(RIBBON_ROW)
        x0, x1 = left + (block.start - low) * scale, left + (block.end - low) * scale
        return QRectF(x0, row * height + 1, max(x1 - x0, 3.0), height - 3)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        left, right, _, _ = self._across()
        painter.setFont(look.font(12))
        metrics = painter.fontMetrics()
        height = look.px(RIBBON_ROW)
        for row, trace in enumerate(self.rows()):
            top = row * height
            painter.setPen(self.plot.colour_of(trace))
            painter.setFont(look.font(13, QFont.Weight.Bold))
            name = trace.orientation.upper() + ("\u2032" if trace.before else "")
            painter.drawText(QRectF(0, top, left - 6, height - 2),
                             Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, name)
            painter.setFont(look.font(12))
            painter.setClipRect(QRectF(left, top, right - left, height))
            for block in trace.blocks:
                box = self._box(row, block)
                if box.right() < left or box.left() > right:
                    continue
                painter.setPen(QPen(look.colour("panel"), 1))
                painter.setBrush(look.colour("band") if block.known
                                 else QBrush(look.colour("quiet"), Qt.BrushStyle.BDiagPattern))
                painter.drawRect(box)
                seen = box.intersected(QRectF(left, top, right - left, height)).adjusted(6, 0, -4, 0)
                if seen.width() > look.px(24):
                    words = metrics.elidedText(block.words, Qt.TextElideMode.ElideRight, int(seen.width()))
                    if not block.known:
                        width = metrics.horizontalAdvance(words) + 4
                        painter.fillRect(QRectF(seen.x() - 2, top + 3, width, height - 7), look.colour("panel"))
                    painter.setPen(look.colour("ink"))
                    painter.drawText(seen, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words)
            painter.setClipping(False)
        painter.end()


class DrawPlot(QWidget):
    """Keys: arrows move the cursor (Shift: tenfold), + and - zoom, Page up and down pan, Home shows all, M sets the
    mark. The wheel zooms in time. Signal `moved`: the range in time has changed."""

    moved = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.traces: tuple[PlotTrace, ...] = ()
        self.shown: set[str] = set()
        self.bands: tuple[Band, ...] = ()
        self.at_cursor: float | None = None
        self.marked: float | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Volts and amps over time"))
        self.setObjectName("plot")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(2, 2, 2, 2)  # for the line that shows the keyboard
        column.setSpacing(0)
        self.graphics = pg.GraphicsLayoutWidget()
        self.graphics.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        # Panning changes all of it, so nothing is gained by finding out what has changed.
        self.graphics.setViewportUpdateMode(QGraphicsView.ViewportUpdateMode.FullViewportUpdate)
        self.graphics.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        self.graphics.ci.layout.setSpacing(2)
        self.graphics.ci.setContentsMargins(0, 4, RIGHT_MARGIN, 0)
        self.volts_plot = self.graphics.addPlot(0, 0, axisItems={"left": ValueAxis("left")})
        self.amps_plot = self.graphics.addPlot(1, 0, axisItems={"left": ValueAxis("left"),
                                                                "bottom": TimeAxis("bottom")})
        self.volts_plot.setXLink(self.amps_plot)
        self.graphics.ci.layout.setRowStretchFactor(0, 2)
        self.graphics.ci.layout.setRowStretchFactor(1, 5)
        self.cursor_lines: list[pg.InfiniteLine] = []
        self.mark_lines: list[pg.InfiniteLine] = []
        for plot in (self.volts_plot, self.amps_plot):
            plot.setMenuEnabled(False)
            plot.hideButtons()
            plot.setMouseEnabled(x=True, y=False)
            for lines in (self.cursor_lines, self.mark_lines):
                line = pg.InfiniteLine(angle=90, movable=False)
                line.setVisible(False)
                line.setZValue(20)
                plot.addItem(line, ignoreBounds=True)
                lines.append(line)
        self.volts_plot.hideAxis("bottom")
        self.amps_plot.sigXRangeChanged.connect(self._range_moved)
        self.graphics.scene().sigMouseClicked.connect(self._clicked)
        self.graphics.setMinimumHeight(LEAST_PLOT)
        column.addWidget(self.graphics, 1)
        self.ribbon = DrawRibbon(self)
        column.addWidget(self.ribbon)
        self.readout = ElidedLabel()
        self.readout.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        column.addWidget(self.readout)
        self._items: list[tuple[pg.PlotItem, pg.GraphicsObject]] = []
        self._live: tuple[TraceCurve, TraceCurve] | None = None

    def restyle(self) -> None:
        """Colours, pens and fonts of the theme and text size in use."""
        self.graphics.setBackground(look.colour("panel"))
        font = look.font(12)
        for plot, name in ((self.volts_plot, "V"), (self.amps_plot, "A")):
            for side in ("left", "bottom"):
                axis = plot.getAxis(side)
                axis.setPen(QPen(look.colour("rule"), 1))
                axis.setTextPen(look.colour("ink"))
                axis.setStyle(tickFont=font, tickTextOffset=4, tickLength=0, autoExpandTextSpace=False)
            plot.getAxis("left").setWidth(look.px(AXIS_WIDTH))
            plot.getAxis("left").enableAutoSIPrefix(False)
            # Panning leaves it as it is, so it is painted from a picture.
            plot.getAxis("left").setCacheMode(QGraphicsItem.CacheMode.DeviceCoordinateCache)
            plot.setLabel("left", name, **{"color": look.theme.ink, "font-size": f"{look.px(13)}px"})
            plot.showGrid(x=False, y=True, alpha=0.18)
        self.amps_plot.getAxis("bottom").setHeight(look.px(20))
        for line in self.cursor_lines:
            line.setPen(QPen(look.colour("ink"), 1))
        for line in self.mark_lines:
            line.setPen(QPen(look.colour("quiet"), 1, Qt.PenStyle.DashLine))

    @staticmethod
    def colour_of(trace: PlotTrace) -> QColor:
        """Blue for the A side up, orange for the B side."""
        return look.colour("below" if trace.orientation == "a" else "above")

    def _pen(self, trace: PlotTrace) -> QPen:
        pen: QPen = pg.mkPen(self.colour_of(trace), width=1.6)
        if trace.before:
            pen.setStyle(Qt.PenStyle.DashLine)
        return pen

    def show_traces(self, traces: Sequence[PlotTrace], shown: set[str], bands: Sequence[Band] = ()) -> None:
        """Replace everything that is drawn. The range in time stays where it is while the same traces are shown."""
        same = {t.key for t in traces if t.key in shown} == {t.key for t in self.traces if t.key in self.shown}
        self.traces, self.shown, self.bands = tuple(traces), set(shown), tuple(bands)
        for plot, item in self._items:
            plot.removeItem(item)
        self._items.clear()
        self._live = None
        self.restyle()
        for band in self.bands:
            self._draw_band(band)
        for trace in self.traces:
            if trace.key in self.shown:
                self._draw(trace)
        self._fit_heights()
        if not same:
            self.at_cursor = self.marked = None
            self.whole()
        self.ribbon.fit()
        self._show_cursor()
        self._range_moved()

    def _add(self, plot: pg.PlotItem, item: pg.GraphicsObject) -> None:
        plot.addItem(item, ignoreBounds=True)
        self._items.append((plot, item))

    def _draw(self, trace: PlotTrace) -> None:
        for plot, values in ((self.volts_plot, trace.volts), (self.amps_plot, trace.amps)):
            if not trace.typed:
                self._add(plot, TraceCurve(trace.seconds, values, self.colour_of(trace), trace.before))
                continue
            pen = self._pen(trace)
            self._add(plot, pg.PlotDataItem(
                trace.seconds, values, pen=pen, antialias=True, skipFiniteCheck=True,
                symbol="o" if trace.orientation == "a" else "s", symbolSize=look.px(8), symbolPen=pen,
                symbolBrush=look.colour("panel") if trace.before else pen.color()))

    def _draw_band(self, band: Band) -> None:
        region = pg.LinearRegionItem((max(band.low, 0.0), band.high), orientation="horizontal", movable=False,
                                     brush=look.colour("band"), pen=QPen(Qt.PenStyle.NoPen))
        region.setZValue(-20)
        self._add(self.amps_plot, region)
        label = pg.TextItem(band.words, color=look.colour("quiet"))
        label.setFont(look.font(12))
        label.setZValue(-5)
        label.band = band
        self._add(self.amps_plot, label)

    def _fit_heights(self) -> None:
        chosen = [t for t in self.traces if t.key in self.shown and len(t.seconds)]
        amps = max([float(t.amps.max()) for t in chosen] + [LEAST_AMPS / 1.12])
        volts = max([float(t.volts.max()) for t in chosen] + [LEAST_VOLTS / 1.12])
        self.amps_plot.setYRange(0, amps * 1.12, padding=0)
        self.volts_plot.setYRange(0, volts * 1.12, padding=0)
        end = max([float(t.seconds[-1]) for t in chosen] + [LEAST_SPAN])
        for plot in (self.amps_plot, self.volts_plot):
            plot.setLimits(xMin=-0.03 * end - 1, xMax=end * 1.05 + 2, minXRange=min(LEAST_SPAN, end))

    def time_range(self) -> tuple[float, float]:
        low, high = self.amps_plot.viewRange()[0]
        return float(low), float(high)

    def whole(self) -> None:
        """Show all of it."""
        chosen = [t for t in self.traces if t.key in self.shown and len(t.seconds)]
        end = max([float(t.seconds[-1]) for t in chosen] + [LEAST_SPAN])
        self.amps_plot.setXRange(-0.01 * end, end * 1.02, padding=0)

    def zoom(self, factor: float) -> None:
        """Closer round the cursor, or the middle; below 1 further away."""
        low, high = self.time_range()
        middle = self.at_cursor if self.at_cursor is not None and low <= self.at_cursor <= high else (low + high) / 2
        self.amps_plot.setXRange(middle - (middle - low) / factor, middle + (high - middle) / factor, padding=0)

    def pan(self, share: float) -> None:
        low, high = self.time_range()
        by = share * (high - low)
        self.amps_plot.setXRange(low + by, high + by, padding=0)

    def move_cursor(self, share: float) -> None:
        low, high = self.time_range()
        at = self.at_cursor if self.at_cursor is not None else (low + high) / 2
        self.set_cursor(min(max(at + share * (high - low), low), high))

    def set_cursor(self, seconds: float | None) -> None:
        self.at_cursor = seconds
        self._show_cursor()

    def mark(self) -> None:
        """Set the mark at the cursor; a second time takes it away."""
        self.marked = None if self.marked is not None and self.marked == self.at_cursor else self.at_cursor
        self._show_cursor()

    def _show_cursor(self) -> None:
        for lines, at in ((self.cursor_lines, self.at_cursor), (self.mark_lines, self.marked)):
            for line in lines:
                line.setVisible(at is not None)
                if at is not None:
                    line.setPos(at)
        self.readout.setText(self.readout_words())
        self.readout.setFont(look.font(13, QFont.Weight.Normal if self.at_cursor is None else QFont.Weight.DemiBold))

    def readout_words(self) -> str:
        """What the cursor shows, and what lies between it and the mark."""
        chosen = [t for t in self.traces if t.key in self.shown and len(t.seconds)]
        if not chosen:
            return ""
        if self.at_cursor is None:
            return tr("{keys} or a click: values. Arrows move, + and \u2212 zoom, M marks, Home shows all.",
                      keys=BY_ID["draw.plot"].keys)
        parts = [tr("{clock_words} after plugging in", clock_words=clock_words(self.at_cursor))]
        for trace in chosen:
            name = trace.orientation.upper() + (tr(" before") if trace.before else "")
            place = int(np.searchsorted(trace.seconds, self.at_cursor, side="right")) - 1
            if place < 0 or self.at_cursor > trace.seconds[-1] + 60:
                parts.append(tr("{name}: nothing", name=name))
            else:
                parts.append(f"{name}: {trace.volts[place]:.2f} V {trace.amps[place]:.3f} A")
        if self.marked is not None and self.marked != self.at_cursor:
            low, high = sorted((self.marked, self.at_cursor))
            parts.append(tr("from the mark {clock_words}", clock_words=clock_words(high - low)))
            for trace in chosen:
                inside = slice(*np.searchsorted(trace.seconds, (low, high)))
                if inside.stop - inside.start > 1:
                    at, amps = trace.seconds[inside], trace.amps[inside]
                    charge = float(np.sum((amps[1:] + amps[:-1]) / 2 * np.diff(at))) / 3.6
                    parts.append(tr("{orientation} mean {mean:.3f} A, {charge:.1f} mAh",
                                    orientation=trace.orientation.upper(), mean=float(amps.mean()), charge=charge))
        return "   ".join(parts)

    def _range_moved(self) -> None:
        high = self.time_range()[1]
        top = float(self.amps_plot.viewRange()[1][1])
        for _plot, item in self._items:
            if isinstance(item, pg.TextItem):  # a draw lies inside its band: the band's words stand beside it
                low = max(item.band.low, 0.0)
                above = item.band.high < (1 - BAND_WORDS_ROOM) * top
                under = not above and low > BAND_WORDS_ROOM * top
                item.setAnchor((1, 0) if under else (1, 1))
                item.setPos(QPointF(high, item.band.high if above else low))
        self.ribbon.update()
        self.ribbon.name_soon()
        self.moved.emit()

    def _clicked(self, event: object) -> None:
        place = self.amps_plot.vb.mapSceneToView(event.scenePos())  # type: ignore[attr-defined]
        self.set_cursor(float(place.x()))
        self.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, shift = event.key(), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        step = LEAP if shift else STEP
        act = {Qt.Key.Key_Left: lambda: self.move_cursor(-step), Qt.Key.Key_Right: lambda: self.move_cursor(step),
               Qt.Key.Key_Plus: lambda: self.zoom(ZOOM), Qt.Key.Key_Equal: lambda: self.zoom(ZOOM),
               Qt.Key.Key_Minus: lambda: self.zoom(1 / ZOOM), Qt.Key.Key_PageUp: lambda: self.pan(-0.5),
               Qt.Key.Key_PageDown: lambda: self.pan(0.5), Qt.Key.Key_Home: self.whole,
               Qt.Key.Key_M: self.mark, Qt.Key.Key_Escape: lambda: self.set_cursor(None)}.get(key)  # type: ignore[call-overload]
        if act is None or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            super().keyPressEvent(event)
            return
        act()

    def show_live(self, seconds: np.ndarray, volts: np.ndarray, amps: np.ndarray, orientation: str) -> None:
        """The trace that still grows, drawn on top; the range in time follows its end."""
        if self._live is None:
            self.restyle()
            colour = look.colour("below" if orientation == "a" else "above")
            items = [TraceCurve(seconds, values, colour) for values in (volts, amps)]
            for plot, item in zip((self.volts_plot, self.amps_plot), items, strict=True):
                self._add(plot, item)
            self._live = (items[0], items[1])
        self._live[0].set_data(seconds, volts)
        self._live[1].set_data(seconds, amps)
        if len(seconds):
            end = float(seconds[-1])
            for plot, values, least in ((self.amps_plot, amps, LEAST_AMPS), (self.volts_plot, volts, LEAST_VOLTS)):
                plot.setLimits(xMin=-1, xMax=end * 1.05 + 2, minXRange=LEAST_SPAN)
                plot.setYRange(0, max(float(values.max()) * 1.12, least), padding=0)
            self.amps_plot.setXRange(0, max(end * 1.02, 10.0), padding=0)
