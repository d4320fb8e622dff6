"""Hand-over: the outcome, and the sheet as it will be printed."""

from __future__ import annotations

from PySide6.QtWidgets import QButtonGroup, QGridLayout, QHBoxLayout, QPushButton, QTextBrowser

from dextrum.app.handover.handover import Sheet, make_sheet, sheet_html
from dextrum.app.handover.results import RESULTS
from dextrum.app.handover.shop_paper import shop_paper
from dextrum.core.proof.tries import unproved
from dextrum.core.trail import Outcome
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.value_field import ValueField
from dextrum.desktop.frame.view import JobView
from dextrum.desktop.theme import LIGHT
from dextrum.tongue import ENGLISH, tongue, tr

CHOICES = ("repaired", "no_fault", "returned", "donor")


class HandoverView(JobView):
    name = "handover"
    commands = ("sheet.pdf", "sheet.html", "sheet.shelf", "sheet.label", "sheet.shelf_html", "shop.paper",
                "job.comeback",
                "cause.supply", "cause.dock", "cause.force", "cause.liquid",
                "cause.unknown", "library.offer")

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        line = QGridLayout()
        self.choices: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for i, choice in enumerate(CHOICES):
            button = QPushButton(RESULTS[choice])
            button.setCheckable(True)
            button.setObjectName("choice")
            group.addButton(button)
            self.choices[choice] = button
            line.addWidget(button, i // 2, i % 2)
        line.setColumnStretch(2, 1)
        self.body.addLayout(line)
        second = QHBoxLayout()
        self.note = ValueField()
        self.note.setPlaceholderText(tr("a sentence for the owner"))
        self.note.setAccessibleName(tr("Sentence for the owner"))
        self.note.returnPressed.connect(self._record)
        self.save = QPushButton(tr("Close the job"))
        self.save.clicked.connect(self._record)
        second.addWidget(self.note, 1)
        second.addWidget(self.save)
        self.body.addLayout(second)
        self.sheet_view = QTextBrowser()
        self.sheet_view.setAccessibleName(tr("Hand-over sheet"))
        self.sheet_view.setOpenLinks(False)
        # The sheet is paper, in the dark theme too.
        self.sheet_view.setStyleSheet(f"background: {LIGHT.panel}; color: {LIGHT.ink}")
        self.body.addWidget(self.sheet_view, 1)
        self._shown_for = ""
        self._html_of: tuple[object, ...] = ()

    def refresh(self) -> None:
        facts = self.model.facts
        if self._shown_for != self.model.job_id:
            self._shown_for = self.model.job_id
            self.note.setText(facts.outcome.note if facts.outcome else "")
            self.choices["repaired"].setChecked(True)
        if facts.outcome is not None:
            self.choices[facts.outcome.result].setChecked(True)
        self.sentence.setText(tr("Closed: {results}.", results=RESULTS[facts.outcome.result]) if facts.outcome
                              else tr("Still open: choose how it ended."))
        self.detail.setText(tr("For the owner: Ctrl+P writes a PDF, Ctrl+Shift+H an HTML file."))
        self.show_cautions()
        if self.isVisible():
            self._show_sheet()

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._show_sheet()

    def sheet(self, language: str = ENGLISH) -> Sheet | None:
        """The sheet of the job as it stands; None without a board pack. language: what it is written in."""
        model = self.model
        if model.board is None or model.references is None:
            return None
        session = model.session
        shop = shop_paper(session.store)
        return make_sheet(model.board, model.references, model.trail, shop.name, session.who,
                          session.clock().astimezone(), shop, tongue(language).say)

    def _show_sheet(self) -> None:
        language = shop_paper(self.model.session.store).language
        key = (self.model.job_id, len(self.model.trail), language)
        if key == self._html_of:
            return
        sheet = self.sheet(language)
        if sheet is not None:
            self._html_of = key
            self.sheet_view.setHtml(sheet_html(sheet, language=language))
            self.sheet_view.document().setDocumentMargin(18)

    def _record(self) -> None:
        chosen = next((c for c, b in self.choices.items() if b.isChecked()), "")
        board, facts = self.model.board, self.model.facts
        if chosen == "repaired" and board is not None:
            proofs = facts.proofs or {}
            missing = [c for c in board.checks if (c.id not in proofs or not proofs[c.id].passed)
                       and c.id not in (facts.left_out or {})]
            unsure = unproved(facts, tuple(c.id for c in board.checks if c.id in proofs))
            if not missing and unsure:
                words = next(c.words for c in board.checks if c.id == unsure[0].check)
                self.say_trouble(tr("It comes and goes: {words} of '{words2}' so far. Try on, or choose another "
                                    "outcome.", words=unsure[0].words, words2=words.lower()))
                return
            if missing:
                self.say_trouble(tr("Not proved yet: {words}", words=missing[0].words.lower())
                                 + (tr(" and {count} more", count=len(missing) - 1) if len(missing) > 1 else "")
                                 + tr(". Tick the proof, or choose another outcome."))
                return
        self.say_trouble("")
        self.model.record(Outcome(chosen, self.note.text().strip()))  # type: ignore[arg-type]

    def focus_entry(self) -> None:
        chosen = next((b for b in self.choices.values() if b.isChecked()), None)
        (chosen or next(iter(self.choices.values()))).setFocus()
