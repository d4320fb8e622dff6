"""The line that calls for jobs whose wait has come to its end."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QApplication

from dextrum.app.commands import BY_ID
from dextrum.desktop.frame.command_row import hint_of
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.press_line import PressLine
from dextrum.errors import DextrumError
from dextrum.store.jobs import JobRow
from dextrum.tongue import tr


class DueCall(PressLine):
    """Aloud once for each job, also for those that came due while the program was closed."""

    trouble = Signal(str)

    def __init__(self, model: JobModel) -> None:
        super().__init__(strong=True, on="lit")
        self.model = model
        self._called: set[str] = set()
        self.setToolTip(hint_of(BY_ID["job.due"]))
        self.hide()

    def _due(self) -> tuple[JobRow, ...]:
        try:
            return self.model.session.due(self.model.session.clock().astimezone())
        except DextrumError as problem:
            self.trouble.emit(str(problem))
            return ()

    def look(self) -> None:
        """Say who calls now. A job in hand that has come due is weighed again: what it waited for is its next step."""
        due = self._due()
        fresh = {row.id for row in due} - self._called
        self._called = {row.id for row in due}
        others = [row for row in due if row.id != self.model.job_id]
        self.setVisible(bool(others))
        if others:
            more = tr(" and {count} more", count=len(others) - 1) if len(others) > 1 else ""
            self.setText(tr("{serial} calls: {rstrip}{more}  ·  Ctrl+D goes there", serial=others[0].serial,
                            rstrip=tr(others[0].waits_for).rstrip("."), more=more))
        if self.model.job_id in fresh:
            self.model.weigh_anew()
        if fresh and self.window().isVisible():
            QApplication.beep()
            QApplication.alert(self.window())

    def longest(self) -> str:
        """The other job that has waited longest past its time; empty where none calls."""
        return next((row.id for row in self._due() if row.id != self.model.job_id), "")
