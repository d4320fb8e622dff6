"""The repairs that are to be planned: a part and its recipe, one after another, then in their best order."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QLabel, QPushButton, QWidget

from dextrum.core.rework.recipe import Recipe
from dextrum.desktop.frame.flow_layout import FlowLayout
from dextrum.tongue import tr


class PlanRow(QWidget):
    """Signals: wanted (a recipe is to be added for the part in hand), cleared, planned, heated (what its heat does is
    asked), measured (the part by itself), mixed (what its solders melt at is asked)."""

    heated = Signal()
    measured = Signal()
    mixed = Signal()
    wanted = Signal()
    cleared = Signal()
    planned = Signal()

    def __init__(self) -> None:
        super().__init__()
        row = FlowLayout(self)
        self.recipe = QComboBox()
        self.recipe.setAccessibleName(tr("Recipe"))
        self.recipe.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.recipe.setMinimumContentsLength(24)
        self.alone = QPushButton(tr("Measure it alone…"))
        self.alone.setToolTip(tr("The new part, before it goes on: what a good one reads by itself"))
        self.alone.clicked.connect(self.measured)
        self.add, self.lead, self.clear = (
            QPushButton(tr("Add to the plan")),
            QPushButton(tr("Lead me")),
            QPushButton(tr("Clear")),
        )
        self.heat = QPushButton(tr("How hot?"))
        self.heat.setToolTip(tr("When the joints float by this recipe, and what softens beside them"))
        self.heat.clicked.connect(self.heated)
        self.mix = QPushButton(tr("Solder mix…"))
        self.mix.setToolTip(tr("What solders melt at together, what brings them down, how often braid must pass"))
        self.mix.clicked.connect(self.mixed)
        self.lead.setToolTip(tr("The repairs in their best order, then one step at a time"))
        self.add.clicked.connect(self.wanted)
        self.lead.clicked.connect(self.planned)
        self.clear.clicked.connect(self.cleared)
        self.list = QLabel()
        for part in (QLabel(tr("Recipe")), self.recipe, self.heat, self.mix, self.alone, self.add, self.list, self.lead,
                     self.clear):
            row.addWidget(part)
        self.show_list(())

    def offer(self, recipes: tuple[Recipe, ...], usual: Recipe | None) -> None:
        """Recipes for the part in hand; the usual one first in hand."""
        if [self.recipe.itemData(k) for k in range(self.recipe.count())] != [recipe.id for recipe in recipes]:
            self.recipe.clear()
            for recipe in recipes:
                self.recipe.addItem(f"{recipe.title} ({recipe.school})", recipe.id)
            if usual is not None:
                self.recipe.setCurrentIndex(self.recipe.findData(usual.id))
        self.add.setEnabled(bool(recipes))
        self.heat.setEnabled(bool(recipes))
        self.recipe.setEnabled(bool(recipes))

    def show_list(self, parts: tuple[str, ...]) -> None:
        self.list.setText(tr("Planned: {parts}", parts=", ".join(parts)) if parts else "")
        for widget in (self.list, self.lead, self.clear):
            widget.setVisible(bool(parts))
