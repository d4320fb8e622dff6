"""What to do next, by expected cost."""

from dextrum.core.advice.actions import Action, OutcomeMeaning
from dextrum.core.advice.gates import Gate, held_gates, off_points, points_to_recheck
from dextrum.core.advice.rates import ShopRates
from dextrum.core.advice.recommend import Advice, AdviceModel, build_advice_model, recommend

__all__ = ["Action", "Advice", "AdviceModel", "Gate", "OutcomeMeaning", "ShopRates", "build_advice_model",
           "held_gates", "off_points", "points_to_recheck", "recommend"]
