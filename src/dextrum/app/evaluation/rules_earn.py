"""What each rule of the advice earns: the cases in which it spoke, played once more without it.

A case in which a rule never put a step first is played the same without it, step by step, since all that is drawn hangs
on what is done. So only the others are played again, and the difference over all cases is theirs.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from pathlib import Path

from dextrum.app.evaluation.evaluate import Evaluation, Progress, Setting, play_all
from dextrum.core.advice.rules import MAY_BE_LEFT_OUT


@dataclass(frozen=True)
class RuleEarns:
    """Of one rule: cases in which it put a step first, and over them right ends, minutes, good parts and good chips,
    each as it is with the rule and without it. Sums, not means."""

    rule: str
    spoke: int
    right_with: int
    right_without: int
    minutes_with: float
    minutes_without: float
    good_parts_with: int
    good_parts_without: int
    good_chips_with: int
    good_chips_without: int


def with_rules_weighed(setting: Setting, found: Evaluation, pack_id: str, progress: Progress = lambda _done, _of: None,
                       cores: int = 0, packs: Sequence[Path] = ()) -> Evaluation:
    """The evaluation with what each rule that may be left out earns. setting: the one that it was played in; the advice
    is among its players."""
    with_all = [play for play in found.plays if play["player"] == "advice"]
    tasks: list[tuple[int, Setting]] = []
    of_rule: list[tuple[str, int]] = []
    for rule in MAY_BE_LEFT_OUT:
        alone = replace(setting, players=("advice",), without=setting.without | {rule})
        for number, play in enumerate(with_all):
            spoke = play["rules"]
            if isinstance(spoke, dict) and rule in spoke:
                tasks.append((number, alone))
                of_rule.append((rule, number))
    played = [one["advice"].as_json("advice") for one in play_all(tasks, pack_id, progress, cores, packs)]
    earns = []
    for rule in MAY_BE_LEFT_OUT:
        own = [(with_all[number], play) for (name, number), play in zip(of_rule, played, strict=True) if name == rule]
        sums = {key: (sum(_number(one[key]) for one, _ in own), sum(_number(other[key]) for _, other in own))
                for key in ("right", "minutes", "good_parts", "good_chips")}
        earns.append(RuleEarns(rule, len(own), int(sums["right"][0]), int(sums["right"][1]),
                               round(sums["minutes"][0], 1), round(sums["minutes"][1], 1),
                               int(sums["good_parts"][0]), int(sums["good_parts"][1]),
                               int(sums["good_chips"][0]), int(sums["good_chips"][1])))
    return replace(found, rules_earn=tuple(asdict(one) for one in earns))


def _number(value: object) -> float:
    assert isinstance(value, int | float)
    return float(value)
