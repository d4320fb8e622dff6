"""Which step of the rework plan is next, by what the trail says was done, and which of its times still run."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from dextrum.app.rework.recipes import RecipeBook
from dextrum.core.job import JobFacts
from dextrum.core.rework.plan import PlannedStep, steps_of
from dextrum.core.trail import PlannedRepair
from dextrum.tongue import tr


@dataclass(frozen=True)
class Timer:
    """words: what takes its time; until: when it is over."""

    words: str
    until: datetime


@dataclass(frozen=True)
class Led:
    """steps: of the plan in hand; at: the step that is next, None when all are done; to_record: a part whose repair was
    done by the steps and not yet recorded, with its action; timers: those that run or have just run out; missing:
    recipes of the plan that are not here any more; changed: those that have another version than when it was planned,
    so that a number may stand for another step; photo_due: what the photo shows that this step asks for and nobody has
    taken since the board was last under heat."""

    steps: tuple[PlannedStep, ...] = ()
    at: int | None = None
    to_record: tuple[str, str] | None = None
    timers: tuple[Timer, ...] = ()
    missing: tuple[str, ...] = ()
    changed: tuple[str, ...] = ()
    photo_due: str = ""

    @property
    def step(self) -> PlannedStep | None:
        return self.steps[self.at] if self.at is not None else None


KEPT_AFTER = timedelta(minutes=30)
"""How long a time that has run out is still shown."""


def led(book: RecipeBook, facts: JobFacts, now: datetime) -> Led:
    """The plan as it stands. Everything is computed from the trail, so that it goes on after any interruption."""
    plan = facts.rework_plan
    if plan is None or not plan.repairs:
        return Led()
    found = [(repair, book.recipes.get(repair.recipe)) for repair in plan.repairs]
    missing = tuple(tr("{recipe} (for {part})", recipe=repair.recipe,
                       part=repair.part) for repair, recipe in found if recipe is None)
    changed = tuple(tr("{title} ({version} to {version2})", title=recipe.title, version=repair.version,
                       version2=recipe.version) for repair, recipe in found
                    if recipe is not None and repair.version and repair.version != recipe.version)
    steps = steps_of([(repair.part, recipe) for repair, recipe in found if recipe is not None])
    by_key = {step.key: step for step in steps}
    done = {(entry.part, entry.recipe, entry.number): at for entry, at in facts.rework_steps}
    timers = tuple(Timer(by_key[key].words, at + timedelta(seconds=by_key[key].step.wait_seconds))
                   for key, at in done.items() if key in by_key and by_key[key].step.wait_seconds > 0
                   and now < at + timedelta(seconds=by_key[key].step.wait_seconds) + KEPT_AFTER)
    recorded = {rework.part for _, rework in facts.reworks[facts.planned_from:]}
    place = next((k for k, step in enumerate(steps) if step.key not in done), None)
    before = steps if place is None else steps[:place]
    to_record = next(((step.part, step.recipe.action) for step in before
                      if step.last_of_part and step.part not in recorded), None)
    wanted = steps[place].step.photo if place is not None else ""
    since = max(facts.heated, default=None)
    taken = any(photo.shows == wanted and (since is None or at > since) for photo, at in facts.photos)
    return Led(steps, place, to_record, timers, missing, changed, "" if taken else wanted)


def planned(repairs: tuple[tuple[str, str, str], ...]) -> tuple[PlannedRepair, ...]:
    """part, recipe and version of each, for the trail."""
    return tuple(PlannedRepair(part, recipe, version) for part, recipe, version in repairs)


def timer_words(timer: Timer, now: datetime) -> str:
    """'4:10 left: …' or 'over: …'."""
    left = (timer.until - now).total_seconds()
    if left <= 0:
        return tr("Over: {timer}", timer=timer.words)
    minutes, seconds = divmod(round(left), 60)
    hours, minutes = divmod(minutes, 60)
    clock = f"{hours}:{minutes:02d}:{seconds:02d}" if hours else f"{minutes}:{seconds:02d}"
    return tr("{clock} left: {timer}", clock=clock, timer=timer.words)
