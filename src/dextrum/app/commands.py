"""Every command of the program, once: menu line, shortcut, palette and test take the same path."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Command:
    """id as 'group.name'; shortcut in portable text, empty for none; needs_job: only with a job open."""

    id: str
    title: str
    shortcut: str = ""
    needs_job: bool = False


COMMANDS: tuple[Command, ...] = (
    Command("job.new", "New job", "Ctrl+N"),
    Command("job.search", "Search all jobs", "Ctrl+F"),
    Command("job.next", "Next job on the shelf", "Ctrl+PgDown"),
    Command("job.previous", "Previous job on the shelf", "Ctrl+PgUp"),
    Command("job.export", "Export this job as a file", "Ctrl+E", True),
    Command("job.import", "Import a job file", "Ctrl+I"),
    Command("job.earlier", "Open this unit's earlier job", "", True),
    Command("job.wait", "Put this job on the shelf to wait", "Ctrl+W", True),
    Command("job.wait_draw", "Wait until the draw tells, on the shelf", "Ctrl+Shift+W", True),
    Command("job.due", "Go to the job that calls", "Ctrl+D"),
    Command("trail.strike", "Strike out the last entry", "Ctrl+Z", True),
    Command("trail.back", "Bring back what was struck out", "Ctrl+Shift+Z", True),
    Command("trail.strike_one", "Strike out the chosen entry, or bring it back", "Ctrl+Del", True),
    Command("view.intake", "Intake", "Alt+1", True),
    Command("view.supply", "Supply", "Alt+2", True),
    Command("view.port", "Port", "Alt+3", True),
    Command("view.board", "Board", "Alt+4", True),
    Command("view.rework", "Rework", "Alt+5", True),
    Command("view.proof", "Proof", "Alt+6", True),
    Command("view.handover", "Hand-over", "Alt+7", True),
    Command("view.library", "Known-good: boards, points and meters", "Alt+8", True),
    Command("step.go", "Go to the next step", "Ctrl+Return", True),
    Command("step.why", "Why this suspect: next one", "Ctrl+J", True),
    Command("step.why_not", "Why not this part", "Ctrl+Shift+J", True),
    Command("step.cost", "What another step would cost, beside the one advised", "Ctrl+Shift+N", True),
    Command("capture.walk", "Walk over the points that are due, without hands", "Ctrl+Space", True),
    Command("capture.pedal", "Which key the foot switch sends", "", True),
    Command("capture.hold", "How long OL is held until a point counts as open", "", True),
    Command("capture.scan", "Read the port with the port tester", "Ctrl+Shift+R", True),
    Command("draw.meter", "Record the power meter's stream, live; again to stop", "Ctrl+Shift+E", True),
    Command("instrument.find", "Look for instruments", "Ctrl+Shift+F"),
    Command("instrument.connect", "Connect an instrument by its resource name"),
    Command("instrument.leave", "Let go of an instrument"),
    Command("sound.level", "How loud the cues are"),
    Command("sound.cues", "Which cues are sounded"),
    Command("sound.speech", "Speak points and verdicts, or don't"),
    Command("board.look", "Looked over the board: missing, burst, askew, corroded parts", "Ctrl+B", True),
    Command("swap.known_good", "A known-good supply, cable, dock, fan or controllers tried", "Ctrl+Shift+S", True),
    Command("load.off", "Take a load off: unplug, or lift a part or a pin", "Ctrl+L", True),
    Command("load.back", "Put back what is off", "Ctrl+Shift+B", True),
    Command("rail.volts", "Volts of a rail, under power", "Ctrl+R", True),
    Command("rail.inject", "Injected into a rail: what warmed", "Ctrl+Shift+I", True),
    Command("shop.labour", "Shop rates: what a minute of work costs", "", True),
    Command("shop.price", "Price of a part in this shop", "", True),
    Command("cell.unplugged", "Cell is unplugged", "Ctrl+U", True),
    Command("cell.plugged", "Cell is plugged in", "", True),
    Command("cell.known_good", "Known-good cell is in", "", True),
    Command("cell.new", "New cell is fitted", "", True),
    Command("safety.danger", "Danger seen: wet, hot, swollen, smell or smoke", "Ctrl+Shift+X", True),
    Command("safety.safe", "Made safe: isolated, opened, cell out, inspected", "Ctrl+Shift+U", True),
    Command("port.cleaned", "Port cleaned", "", True),
    Command("rework.audit", "Rework audited: parts counted, no bridges, flux off", "Ctrl+Shift+A", True),
    Command("draw.import", "Read a power meter's CSV", "Ctrl+Shift+O", True),
    Command("draw.follow", "Follow a power meter's growing CSV, live", "Ctrl+Shift+L", True),
    Command("draw.plot", "To the plot: cursor, zoom and mark by keys", "Ctrl+Shift+D", True),
    Command("gear.add", "Add a supply, cable or dock", "", True),
    Command("gear.proved", "Supply, cable and dock have just proved good", "Ctrl+Shift+G", True),
    Command("gear.bad", "The supply has just proved bad", "", True),
    Command("gear.away", "Put the chosen supply away", "", True),
    Command("port.naming", "Contacts as A1 to B12, or 1 to 24 as breakouts count", "", True),
    Command("port.breakout", "Add a breakout, with how it counts the contacts", "", True),
    Command("port.pairs", "Contact to contact, in ohms", "Ctrl+Alt+O", True),
    Command("port.shift", "Move the readings that stand one contact too far", "Ctrl+Alt+M", True),
    Command("port.turned", "Tester or breakout is turned over, or back", "Ctrl+Shift+T", True),
    Command("compare.choose", "Compare with an earlier scan or a known-good board", "Ctrl+Shift+Y", True),
    Command("compare.none", "Compare with nothing", "", True),
    Command("method.diode", "Diode mode: red or black on ground", "Ctrl+Shift+M", True),
    Command("method.ohms", "Point to point: resistance or continuity", "", True),
    Command("meter.remove", "Put away a meter that was set up", "", True),
    Command("meter.set_up", "Set up a meter: test current and what it shows as OL", "", True),
    Command("judging.false_alarm", "False alarms accepted per scan", "", True),
    Command("library.offer", "Offer this unit's readings as known-good", "Ctrl+Shift+K", True),
    Command("library.out", "Take a board out of the known-good", "", True),
    Command("library.back", "Take a board back among the known-good", "", True),
    Command("library.write", "Write this model's library as CSV", "", True),
    Command("library.read", "Merge a library from CSV", "", True),
    Command("library.learn", "Learn from closed jobs how often parts fail", "", True),
    Command("library.forget", "Forget what was learned: the pack's own rates", "", True),
    Command("library.reference_meter", "The meter in hand is the one all are compared with", "", True),
    Command("board.temperature", "Board temperature, for the readings that follow", "", True),
    Command("gate.pass", "Pass the held gate, with a reason", "Ctrl+G", True),
    Command("cause.supply", "Cause: the owner's supply", "", True),
    Command("cause.dock", "Cause: the dock", "", True),
    Command("cause.force", "Cause: force", "", True),
    Command("cause.liquid", "Cause: liquid", "", True),
    Command("cause.unknown", "Cause: can't be told, waived", "", True),
    Command("copy.text", "Copy this view as text", "Ctrl+Shift+C", True),
    Command("copy.csv", "Copy the trace as CSV", "Ctrl+Alt+C", True),
    Command("copy.picture", "Copy this view as a picture", "Ctrl+Shift+P", True),
    Command("sheet.pdf", "Hand-over sheet as PDF", "Ctrl+P", True),
    Command("sheet.html", "Hand-over sheet as HTML", "Ctrl+Shift+H", True),
    Command("look.theme", "Light or dark", "Ctrl+T"),
    Command("look.larger", "Larger text", "Ctrl++"),
    Command("look.smaller", "Smaller text", "Ctrl+-"),
    Command("meter.next", "Next meter", "Ctrl+M", True),
    Command("palette", "All commands", "Ctrl+K"),
    Command("keys", "Show the shortcuts", "F1"),
    Command("quit", "Quit", "Ctrl+Q"),
)

BY_ID = {command.id: command for command in COMMANDS}


def matching(text: str, has_job: bool) -> tuple[Command, ...]:
    """Commands whose title has all the typed words, those that start with them first."""
    words = text.casefold().split()
    found = [c for c in COMMANDS if (has_job or not c.needs_job) and c.id != "palette"
             and all(word in c.title.casefold() for word in words)]
    return tuple(sorted(found, key=lambda c: not c.title.casefold().startswith(text.casefold().strip())))
