"""Supply current: which state of the model's draw profile a power meter shows."""

from dextrum.core.draw.states import UNKNOWN, DrawJudgement, classify_draw, log_emission, state_ids

__all__ = ["UNKNOWN", "DrawJudgement", "classify_draw", "log_emission", "state_ids"]
