"""A recipe: how one kind of repair is done, step by step, with its school, tools and cautions."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import get_args

from dextrum.core.board.bounds import STRICT, require
from dextrum.core.board.kinds import ComponentKind
from dextrum.core.entries.photo import Shows
from dextrum.tongue import tr

PHASES = {"prepare": tr("preparation"), "protect": tr("protection"), "remove": tr("removal"),
          "clear": tr("clearing"), "inspect": tr("inspection"), "fit": tr("fitting"), "clean": tr("cleaning"),
          "measure": tr("measuring")}
"""Where in the work a step belongs, by key, with its word."""
FOR_PARTS = (*(kind.value for kind in ComponentKind), "trace", "cell", "fan", "heat_spreader")
"""What a recipe can be for: parts of a pack by their kind, and what no pack lists among its components."""
TOOLS = {"hot_air_celsius": (tr("hot air"), "°C", 100.0, 520.0), "flow_percent": (tr("flow"), "%", 0.0, 100.0),
         "nozzle_mm": (tr("nozzle"), "mm", 1.0, 30.0), "iron_celsius": (tr("iron"), "°C", 150.0, 480.0),
         "plate_celsius": (tr("plate"), "°C", 60.0, 260.0)}
"""Settings of tools by key: their word, unit and bounds."""
CAUTIONS = {
    "cell": tr("Cell out and away before heat; never bend, pierce or heat it; a swollen one to a licensed recycler."),
    "heat": tr("Hot air and irons burn: keep alcohol away from hot tools."),
    "fumes": tr("Run the fume extraction."),
    "lead": tr("Leaded solder: wash hands, keep its waste apart, follow local rules."),
    "uv": tr("Do not look into the UV lamp."),
    "alcohol": tr("Alcohol only on a cold board, away from flames and hot tools."),
}
RETROFIT = "retrofit"
"""A kit in the place of a part; what is recorded is that the part was replaced."""
ACTIONS = ("replace", "reflow", "wire", "clean", RETROFIT)
USED_UP = ("alloy", "wire")
"""Kinds of stock that a repair takes by the gram or metre."""
MOST_TAKEN = 100.0
MOST_STEPS = 60
MOST_WAIT = 7 * 24 * 3600.0


def _one(value: str, known: tuple[str, ...], what: str) -> None:
    if value not in known:
        raise ValueError(tr("{what} {value!r}; expected one of {known}", what=what, value=value,
                            known=", ".join(known)))


@dataclass(frozen=True)
class RecipeStep:
    """phase: where in the work it belongs; words: what to do, '{part}' stands for the part; why; watch: what to look
    out for; minutes: of hands; tools: settings as ranges; cautions: by key; wait_seconds: that it takes by itself;
    photo: what a photo that is due here shows, such as before."""

    __pydantic_config__ = STRICT
    phase: str
    words: str
    why: str = ""
    watch: str = ""
    minutes: float = 0.0
    tools: dict[str, tuple[float, float]] = field(default_factory=dict)
    cautions: tuple[str, ...] = ()
    wait_seconds: float = 0.0
    photo: str = ""

    def __post_init__(self) -> None:
        _one(self.phase, tuple(PHASES), "phase")
        if not self.words.strip():
            raise ValueError(tr("a step without words; expected what to do"))
        require(self.minutes, 0.0, 600.0, "minutes")
        require(self.wait_seconds, 0.0, MOST_WAIT, "wait_seconds")
        for tool, (low, high) in self.tools.items():
            _one(tool, tuple(TOOLS), "tool")
            least, most = TOOLS[tool][2:]
            if not least <= low <= high <= most:
                raise ValueError(tr("{tool} {low:g} to {high:g}; expected a range within {least:g} to {most:g}",
                                    tool=tool, low=low, high=high, least=least, most=most))
        if self.photo:
            _one(self.photo, get_args(Shows), "photo")
        for caution in self.cautions:
            _one(caution, tuple(CAUTIONS), "caution")

    @property
    def is_hot(self) -> bool:
        """Whether it brings heat to the board."""
        return any(tool.endswith("celsius") for tool in self.tools)


@dataclass(frozen=True)
class Takes:
    """What a repair uses up besides its part. of: which kind of stock; amount: grams of alloy, metres of wire; part:
    words that the stock's own name of it holds, where the shop keeps several."""

    __pydantic_config__ = STRICT
    of: str
    amount: float
    part: str = ""

    def __post_init__(self) -> None:
        _one(self.of, USED_UP, "of")
        if not 0.0 < self.amount <= MOST_TAKEN:
            raise ValueError(tr("amount {amount:g}; expected grams or metres above 0, up to {most_taken:g}",
                                amount=self.amount, most_taken=MOST_TAKEN))


@dataclass(frozen=True)
class Recipe:
    """id, version and title; school: which way of several it follows; kinds: of parts it is for, a component kind of
    the pack, 'trace', 'cell', 'fan' or 'heat_spreader'; action: what is recorded when it is done; heat: how much it
    takes, 1 a small part to 9 a receptacle; reach_mm: how far joints soften; usual: offered first where a shop has not
    chosen; takes: what is used up besides the part."""

    __pydantic_config__ = STRICT
    id: str
    version: str
    title: str
    school: str
    kinds: tuple[str, ...]
    action: str
    heat: float
    reach_mm: float
    step: tuple[RecipeStep, ...]
    usual: bool = False
    takes: tuple[Takes, ...] = ()

    def __post_init__(self) -> None:
        if not self.id.strip() or not self.title.strip():
            raise ValueError(tr("a recipe without id or title; expected both"))
        _one(self.action, ACTIONS, "action")
        require(self.heat, 0.0, 10.0, "heat")
        require(self.reach_mm, 0.0, 60.0, "reach_mm")
        if not self.kinds:
            raise ValueError(tr("no kinds; expected the kinds of parts it is for"))
        for kind in self.kinds:
            _one(kind, FOR_PARTS, "kinds")
        if not 1 <= len(self.step) <= MOST_STEPS:
            raise ValueError(tr("{count} steps; expected 1 to {most_steps}", count=len(self.step),
                                most_steps=MOST_STEPS))


def tool_words(step: RecipeStep) -> str:
    """'hot air 360–460 °C, flow 50–100 %'."""
    said = []
    for tool, (low, high) in step.tools.items():
        word, unit = TOOLS[tool][:2]
        said.append(f"{word} {low:g}–{high:g} {unit}" if low != high else f"{word} {low:g} {unit}")
    return ", ".join(said)
