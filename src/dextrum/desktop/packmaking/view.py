"""Pack: what the pack of the model in hand knows, what it can't say yet, and what makes it better."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QLabel, QWidget

from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.view import JobView, clear_layout, quiet_label


class PackmakingView(JobView):
    name = "packmaking"
    shows_advice = True
    commands = ("pack.good", "pack.send", "pack.new", "pack.files", "guide.packs")

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        self.can_head, self.can_not_head = QLabel("It can say"), QLabel("It can't say yet")
        self.can, self.can_not, self.next_step = QLabel(), QLabel(), QLabel()
        for head in (self.can_head, self.can_not_head):
            head.setObjectName("section")
        for label in (self.can, self.can_not, self.next_step):
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
        self.table = QWidget()
        self.grid = QGridLayout(self.table)
        self.grid.setContentsMargins(0, 8, 0, 8)
        self.grid.setColumnStretch(2, 1)
        self.grid.setHorizontalSpacing(24)
        for part in (self.can_head, self.can, self.can_not_head, self.can_not, self.table, self.next_step):
            self.body.addWidget(part)
        self.body.addStretch(1)

    def refresh(self) -> None:
        from dextrum.app.packmaking.pack_words import standing_of

        board, library = self.model.board, self.model.session.library
        parts = (self.can_head, self.can, self.can_not_head, self.can_not, self.table, self.next_step)
        for part in parts:
            part.setVisible(board is not None)
        if board is None:
            self.sentence.setText("This job has no board pack.")
            self.detail.setText("Another model… makes one in half a minute.")
            return
        own = library.is_own(board.pack_id)
        now = standing_of(board, library.pack(board.pack_id).known_good, own)
        self.sentence.setText(now.sentence)
        self.detail.setText(f"{board.pack_id} · {'the shop’s own' if own else 'came with the program or as a whole'}")
        self.can.setText("\n".join(f"· {words}" for words in now.can))
        self.can_not.setText("\n".join(f"· {words}" for words in now.can_not))
        self.can_not_head.setVisible(bool(now.can_not))
        self.can_not.setVisible(bool(now.can_not))
        self.next_step.setText(now.next_step)
        clear_layout(self.grid)
        for k, (what, much, source) in enumerate(now.facts):
            for column, words in enumerate((what, much, source)):
                label = quiet_label(words) if column == 2 else QLabel(words)
                label.setTextFormat(Qt.TextFormat.PlainText)
                self.grid.addWidget(label, k, column, Qt.AlignmentFlag.AlignTop)
        self.show_cautions()
