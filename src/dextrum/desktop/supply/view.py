"""Supply: the look into the port first, then what the draw says over time, both ways up."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from dextrum.app.reading.sentences import supply_sentence
from dextrum.app.supply.circumstances import DrawCircumstances
from dextrum.core.draw.states import states_of
from dextrum.core.trail import DrawTrace, Supply, Wait, standing
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.view import JobView, clear_layout, quiet_label
from dextrum.desktop.supply.supply_entry import EntryRow, typed_supply
from dextrum.desktop.supply.supply_gear import GearRow
from dextrum.desktop.supply.supply_look import LookPart
from dextrum.desktop.theme import LARGE_TEXT, look
from dextrum.errors import DextrumError
from dextrum.tongue import capital, tr

if TYPE_CHECKING:
    from dextrum.app.supply.draws import DrawAssessment
    from dextrum.core.draw.live import LiveTrace
    from dextrum.desktop.supply.draw_plot import DrawPlot
    from dextrum.desktop.supply.supply_import import ImportStrip
    from dextrum.desktop.supply.supply_live import LivePanel
    from dextrum.store.live_journal import LiveJournal

MOST_TOGGLES = 5
TOGGLES_IN_A_ROW = 3
LONGEST_PAUSE = timedelta(hours=12)
SUFFIXES = (".csv", ".tsv", ".txt", ".log")


class SupplyView(JobView):
    name = "supply"
    sentence_lines = 2
    commands = ("draw.meter", "job.wait_draw", "swap.known_good", "draw.import", "draw.follow", "draw.plot",
                "gear.add", "gear.bad", "gear.away", "port.cleaned", "copy.csv")
    shows_advice = True
    keys = (
        ("5.1 0.36 Enter", tr("volts and amps at once; then the amps alone, while the volts stay")),
        ("a  b", tr("in the figures: which side of the plug is up")),
        ("r  p  h", tr("the plug rests, is pushed, hangs")),
        ("s", tr("the unit is on or off")),
        ("x", tr("the draw comes and goes")),
    )

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        self._strip_job: str = ""
        self._live_job: str = ""
        self._live_how = DrawCircumstances()
        self.doubt = QLabel()
        self.doubt.setObjectName("hold")
        self.doubt.setWordWrap(True)
        self.cell = quiet_label()
        for label in (self.doubt, self.cell):
            self.body.addWidget(label)
        self.look = LookPart()
        self.findings, self.contacts, self.look_button = self.look.findings, self.look.contacts, self.look.button
        self.look.trouble.connect(self.say_trouble)
        self.look.seen.connect(self._record_look)
        self.body.addWidget(self.look)
        self.gate = QLabel()
        self.gate.setObjectName("hold")
        self.gate.setWordWrap(True)
        self.body.addWidget(self.gate)
        self.gear = GearRow(model.session)
        self.gear.trouble.connect(self.say_trouble)
        self.gear.changed.connect(self._weak_gear)
        self.gear_head = QLabel(tr("Powered from"))
        self.gear_head.setObjectName("section")
        line = QHBoxLayout()
        line.addWidget(self.gear_head)
        line.addWidget(self.gear, 1)
        self.body.addLayout(line)
        self.weak = quiet_label()
        self.body.addWidget(self.weak)
        self.entry = EntryRow()
        self.orientation, self.volts, self.amps = self.entry.orientation, self.entry.volts, self.entry.amps
        self.minute, self.blinking, self.supply_button = self.entry.minute, self.entry.blinking, self.entry.button
        self.entry.trouble.connect(self.say_trouble)
        self.entry.typed.connect(self._record_supply)
        self.body.addWidget(self.entry)
        self._strip: ImportStrip | None = None
        self._strip_place = QVBoxLayout()
        self.body.addLayout(self._strip_place)
        self.live: LivePanel | None = None
        self.plot: DrawPlot | None = None
        self.toggles = QGridLayout()
        self.toggle_row = QWidget()
        self.toggle_row.setLayout(self.toggles)
        self.toggles.setContentsMargins(0, 0, 0, 0)
        self.body.addWidget(self.toggle_row)
        self.place = QVBoxLayout()
        # Takes up the room while nothing is plotted, so that the lines above stay together.
        self.filler = QWidget()
        self.filler.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self.place.addWidget(self.filler)
        self.body.addLayout(self.place, 1)
        self.profile = quiet_label()
        self.body.addWidget(self.profile)
        self._shown_for = ""
        self._hidden: set[str] = set()
        self._shown_again: set[str] = set()
        self._profile_for: object = None
        self._gear_for: object = None

    @property
    def is_live(self) -> bool:
        """Whether a draw is being recorded."""
        return self.live is not None and self.live.running

    @property
    def draws(self) -> DrawAssessment | None:
        """What was drawn, read as a whole; None while it is being read."""
        assessment = self.model.assessment
        return assessment.draws if assessment is not None and self.model.fresh else None

    @property
    def strip(self) -> ImportStrip:
        """Made when the first file comes."""
        if self._strip is None:
            from dextrum.desktop.supply.supply_import import ImportStrip

            self._strip = ImportStrip(self.model.session)
            self._strip.circumstances = self._circumstances
            self._strip.trouble.connect(self.say_trouble)
            self._strip.taken.connect(lambda trace, words: self._take_trace(trace, words, self._strip_job))
            self._strip.left.connect(self.volts.setFocus)
            self._strip_place.addWidget(self._strip)
        return self._strip

    def held(self) -> str:
        """Why nothing may be plugged in, or nothing."""
        gates = [g for g in self.model.gates if g.holds_power]
        return tr("{words} {instead} Ctrl+G goes on, with your reason on record.", words=gates[0].words,
                  instead=gates[0].instead) if gates else ""

    def refresh(self) -> None:
        board, facts = self.model.board, self.model.facts
        fresh_job = self._shown_for != self.model.job_id
        if fresh_job:
            self._shown_for = self.model.job_id
            self._hidden.clear()
            self._shown_again.clear()
            self.entry.clear()
            if self.live is not None and self.live.running:
                self.live.end()
        if fresh_job or self._gear_for != (look.scale, self.model.session.clock().date()):
            self._gear_for = (look.scale, self.model.session.clock().date())
            self.gear.refresh()
        self.look.refresh(board, facts, fresh_job)
        held = self.held()
        self.gate.setText(held)
        self.gate.setVisible(bool(held))
        self.gear_head.setVisible(look.scale <= LARGE_TEXT)
        self._weak_gear()
        shown_for = (board, self.gear.supply_class, look.scale)
        if self._profile_for != shown_for:
            self._profile_for = shown_for
            self.entry.offer_states(states_of(board, self.gear.supply_class) if board else ())
        self._say()
        self._show_profile()
        self.show_cautions()

    def _say(self) -> None:
        board, facts = self.model.board, self.model.facts
        draws = self.draws
        self.doubt.setVisible(False)
        self.cell.setVisible(False)
        if board is None:
            self.sentence.setText(tr("No board pack: the draw is recorded, not interpreted."))
            self.detail.setText("")
            self._show_plot(None)
            return
        self.sentence.setText(supply_sentence(board, facts))
        self.detail.setText(tr("The pattern over time is the evidence, not one number: read both ways up.")
                            if not facts.supplies else "")
        if draws is None:
            return
        if draws.now:
            from dextrum.app.supply.draw_words import draw_words

            words = draw_words(board, facts, draws, self.model.session.clock().astimezone())
            if words is not None:
                self.sentence.setText(words.sentence)
                self.detail.setText(words.silent)
                self.doubt.setText(tr("{doubt} Ctrl+Shift+W waits until then.",
                                      doubt=words.doubt) if words.doubt else "")
                self.doubt.setVisible(bool(words.doubt))
                self.cell.setText(words.cell)
                self.cell.setVisible(bool(words.cell))
        self._show_plot(draws)

    def _show_profile(self) -> None:
        """What this model draws, where nothing is plotted yet."""
        board = self.model.board
        states = states_of(board, self.gear.supply_class) if board else ()
        empty = not self.model.facts.supplies and not (self.live is not None and self.live.running)
        self.profile.setVisible(empty and bool(self.model.board))
        self.profile.setText(
            tr("This model's draw: ")
            + "; ".join(f"{s.words} {s.volts:.1f} V {s.amps:.2f} A" for s in states)
            + tr(". Drop a power meter's CSV here.")
            if states
            else tr("This pack has no draw profile for this supply: what is drawn is recorded, not interpreted.")
        )

    def _weak_gear(self) -> None:
        chosen = self.gear.chosen()
        never = [r for r in chosen if not r.proved_at]
        words = ""
        if not chosen:
            words = tr("Say which supply and cable: one that never proved good is weaker evidence. Ctrl+K, add a "
                       "supply.")
        elif never:
            names = tr(" and ").join(f"{tr(r.kind)} {r.name}" for r in never)
            words = tr("{names} never proved good: weaker evidence. Use the known-good one.",
                       names=capital(names))
        self.weak.setText(words)
        self.weak.setVisible(bool(words) and self.gear.isVisibleTo(self))

    def _plot_widget(self) -> DrawPlot:
        if self.plot is None:
            from dextrum.desktop.supply.draw_plot import DrawPlot

            self.plot = DrawPlot()
            self.place.addWidget(self.plot, 1)
        return self.plot

    def _show_plot(self, draws: DrawAssessment | None) -> None:
        if self.live is not None and self.live.running:
            return
        if draws is None or not draws.seen:
            if self.plot is not None:
                self.plot.setVisible(False)
            self.filler.setVisible(True)
            self.toggle_row.setVisible(False)
            return
        from dextrum.desktop.supply.plot_traces import bands_of, plot_trace

        epoch = self.model.facts.epoch
        known = [*((one, True) for one in draws.earlier), *((one, False) for one in draws.seen)][-MOST_TOGGLES:]
        traces = [t for t in (plot_trace(one, epoch, replaced) for one, replaced in known) if t is not None]
        self._hidden |= {t.key for t in traces if t.replaced} - self._shown_again
        plot = self._plot_widget()
        plot.setVisible(bool(traces))
        self.filler.setVisible(not traces)
        shown = {t.key for t in traces} - self._hidden
        plot.show_traces(traces, shown, bands_of(draws))
        plot.setAccessibleDescription(tr("{text} Shown: {label}.", text=self.sentence.text(),
                                         label=", ".join(t.label for t in traces)))
        clear_layout(self.toggles)
        across = TOGGLES_IN_A_ROW if look.scale <= LARGE_TEXT else TOGGLES_IN_A_ROW - 1
        for i, trace in enumerate(traces):
            box = QCheckBox(trace.label)
            box.setChecked(trace.key in shown)
            box.clicked.connect(lambda on, key=trace.key: self._toggle(key, on))
            self.toggles.addWidget(box, i // across, i % across)
        self.toggles.setColumnStretch(across, 1)
        self.toggle_row.setVisible(len(traces) > 1)

    def _toggle(self, key: str, on: bool) -> None:
        self._hidden = self._hidden - {key} if on else self._hidden | {key}
        self._shown_again = self._shown_again | {key} if on else self._shown_again - {key}
        self._show_plot(self.draws)

    def _record_look(self, found: object) -> None:
        if self.model.record(found):  # type: ignore[arg-type]
            self.volts.setFocus()

    def _circumstances(self) -> DrawCircumstances:
        return DrawCircumstances(**self.entry.circumstances(), supply_class=self.gear.supply_class,
                                 gear=self.gear.as_used(), supply_proved=self.gear.proved)

    def _running_minute(self, orientation: str, position: str) -> float:
        """Minutes since this plug-in began, by the clock; 0 where the last value was of another one."""
        for entry in reversed(standing(self.model.trail)):
            p = entry.payload
            if not isinstance(p, Supply):
                if isinstance(p, DrawTrace) or p.kind in ("rework", "cell"):
                    return 0.0
                continue
            since = self.model.session.clock() - entry.at
            same = (p.orientation, p.position, p.supply_class) == (orientation, position, self.gear.supply_class)
            if not same or since > LONGEST_PAUSE:
                return 0.0
            return round(p.minute + max(since.total_seconds(), 0.0) / 60.0, 2)
        return 0.0

    def _record_supply(self, fields: object) -> None:
        assert isinstance(fields, dict)
        held = self.held()
        if held:
            self.say_trouble(held)
            return
        minute = fields["minute"]
        if minute is None:
            minute = self._running_minute(str(fields["orientation"]), str(fields["position"]))
        try:
            taken = typed_supply(fields, minute, self.gear.proved, self.gear.supply_class, self.gear.as_used())
        except ValueError as problem:
            self.say_trouble(tr("{problem}. Nothing was recorded.", problem=problem))
            return
        self.say_trouble("")
        if self.model.record(taken):
            other = "a" if taken.orientation == "b" else "b"
            self.entry.recorded(turn=not self.model.facts.drawn(other))

    def offer_file(self, path: Path) -> bool:
        """A CSV was dropped or named: show its columns. Held gates hold it too."""
        held = self.held()
        if held:
            self.say_trouble(held)
            return False
        self.say_trouble("")
        self._strip_job = self.model.job_id
        return self.strip.offer(path)

    def _take_trace(self, trace: object, words: str, job_id: str) -> bool:
        """Record into the job that the trace was begun in, whatever is in view by now; whether it was recorded."""
        assert isinstance(trace, DrawTrace)
        if job_id == self.model.job_id:
            done = self.model.record_as_it_was(trace)
            if done:
                self.model.recorded.emit(words)
            return done
        try:
            self.model.session.record(job_id, trace)
        except DextrumError as problem:
            self.model.problem.emit(str(problem))
            return False
        self.model.recorded.emit(tr("{words} Recorded in the job it was begun in.", words=words))
        return True

    def follow(self, path: Path) -> str:
        """Follow a CSV that still grows; returns what is wrong, or nothing."""
        from dextrum.app.supply.draw_follow import FollowedFile
        from dextrum.app.supply.draw_import import look_at_draw
        from dextrum.core.draw.profile import profile_of

        held = self.held()
        if held:
            return held
        try:
            file = look_at_draw(self.model.session.store, path)
        except DextrumError as problem:
            return problem.happened
        if file.columns.problem():
            return tr("{problem} Drop the file once to choose its columns.", problem=file.columns.problem())
        board = self.model.board
        profile = profile_of(board, self.gear.supply_class, self.model.facts.cell == "known_good") if board else None
        self.begin_live(profile, FollowedFile(file, file.columns))
        return ""

    def begin_live(self, profile: object = None, followed: object = None) -> LivePanel:
        """A live trace: large figures and a growing plot. Samples come from the file, or by the panel's `take`."""
        from dextrum.desktop.supply.supply_live import LivePanel

        if self.live is None:
            self.live = LivePanel()
            self.place.insertWidget(0, self.live)
            self.live.trouble.connect(self.say_trouble)
            self.live.grown.connect(self._grow_live)
            self.live.ended.connect(self._end_live)
        plot = self._plot_widget()
        plot.show_traces((), set())
        plot.setVisible(True)
        self.filler.setVisible(False)
        self.profile.setVisible(False)
        self.toggle_row.setVisible(False)
        self._live_how, self._live_job = self._circumstances(), self.model.job_id
        on = self.entry.circumstances()["switched"] == "on"
        self.live.begin(profile, on, followed)  # type: ignore[arg-type]
        return self.live

    def begin_stream(self) -> LivePanel:
        """A live trace of a power meter's stream, written down as it comes. Raises StoreError where it can't be."""
        from dextrum.core.draw.profile import profile_of
        from dextrum.store.live_journal import LiveJournal

        board = self.model.board
        profile = profile_of(board, self.gear.supply_class, self.model.facts.cell == "known_good") if board else None
        header = {"job": self.model.job_id, "how": self._circumstances().as_kept()}
        self._journal = LiveJournal(self.model.session.store.folder, header)
        panel = self.begin_live(profile)
        panel.journal = self._journal
        return panel

    def _grow_live(self) -> None:
        if self.live is not None and self.live.trace is not None and self.plot is not None:
            samples = self.live.trace.shown()
            side = self._live_how.orientation.upper()
            self.sentence.setText(tr("Live, {side} side up: {text}.", side=side, text=self.live.words.text()))
            self.plot.show_live(samples.seconds, samples.volts, samples.amps, self._live_how.orientation)

    def _end_live(self, trace: LiveTrace | None) -> None:
        recorded = trace is None  # nothing came: there is nothing to keep
        if trace is not None:
            from dextrum.app.supply.draw_import import trace_entry
            from dextrum.core.draw.samples import tidy
            from dextrum.store.draw_csv import DrawFile

            samples = trace.samples()
            done = DrawFile(tidy(samples.seconds, samples.volts, samples.amps), (), 0, False)
            try:
                recorded = self._take_trace(trace_entry(done, "live", self._live_how),
                                            tr("{count} samples recorded.", count=len(samples)), self._live_job)
            except DextrumError as problem:
                self.say_trouble(str(problem))
        self._close_journal(recorded)
        self.refresh()

    def _close_journal(self, recorded: bool) -> None:
        """Take the journal away once its trace is in the trail; else it is left for the next start."""
        journal, self._journal = self._journal, None
        if journal is not None:
            if recorded:
                journal.done()
            else:
                journal.keep()

    _journal: LiveJournal | None = None

    def computed_wait(self) -> Wait | None:
        """The wait that the draw asks for, until its clock time; None where there is nothing to wait for."""
        draws = self.draws
        if draws is None:
            return None
        from dextrum.app.supply.draw_words import computed_wait

        return computed_wait(draws, self.model.session.clock().astimezone())

    def shown_csv(self) -> str:
        """The newest trace that is shown, as CSV; typed values too. Empty where nothing is."""
        draws = self.draws
        seen = [s for s in (draws.seen if draws else ()) if s.record.entry_ids[0] not in self._hidden]
        if not seen:
            return ""
        record = seen[-1].record
        if record.trace is not None:
            from dextrum.app.supply.draw_import import trace_csv

            try:
                return trace_csv(record.trace)
            except ValueError:
                return ""
        rows = [e.payload for e in self.model.trail if e.id in record.entry_ids and isinstance(e.payload, Supply)]
        return "seconds,volts,amps\n" + "".join(f"{r.minute * 60:.0f},{r.volts:.3f},{r.amps:.4f}\n" for r in rows)

    def as_text(self) -> str:
        words = (self.sentence.text(), self.detail.text(), self.doubt.text() if self.doubt.isVisibleTo(self) else "",
                 self.cell.text() if self.cell.isVisibleTo(self) else "")
        return "\n".join(w for w in words if w)

    def focus_entry(self) -> None:
        if self._strip is not None and self._strip.isVisible():
            self._strip.go.setFocus()
        elif self.look.form.isVisibleTo(self) and self.model.facts.look is None:
            self.findings["clean"].setFocus()
        else:
            self.volts.setFocus()

    def show_way(self, orientation: str) -> None:
        """The way up that what is typed or recorded next belongs to."""
        self.orientation.setChecked(orientation == "b")

    def go_to(self, orientation: str) -> None:
        self.show_way(orientation)
        self.volts.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self._strip is not None and self._strip.isVisible():
            self._strip.leave()
            return
        super().keyPressEvent(event)

    def close_work(self) -> None:
        """Stop what runs beside the window; a live trace is recorded as far as it came."""
        if self._strip is not None:
            self._strip.work.close()
        if self.live is not None and self.live.running:
            self.live.end()
