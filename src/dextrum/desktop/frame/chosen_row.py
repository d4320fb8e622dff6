"""Whether a row of a list is the chosen one, for what paints it."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPersistentModelIndex
from PySide6.QtWidgets import QAbstractItemView, QStyleOptionViewItem


def is_chosen(option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> bool:
    """By the list's selection. The option's own state says it too, but the first look at it makes Qt's styles known
    to Python, which takes longer than all rows of a shelf."""
    view = option.widget
    if not isinstance(view, QAbstractItemView):
        return False
    chosen = view.selectionModel()
    return chosen is not None and chosen.isSelected(index)
