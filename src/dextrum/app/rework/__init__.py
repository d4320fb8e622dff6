"""Rework: recipes at hand, the plan for this board, and the step that is led."""
