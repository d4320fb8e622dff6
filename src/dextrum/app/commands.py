"""Every command of the program, once: menu line, shortcut, palette, button and test take the same path.

They stand in groups along the order of work. What makes one impossible for now is a need by name, with the words that
say so: a command that can't be run is shown with them, not hidden.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class InHand:
    """What the window has in hand, as far as commands ask for it. cell: the state of the cell by the trail."""

    job: bool = False
    board: bool = False
    weighed: bool = False
    held: bool = False
    entries: bool = False
    struck: bool = False
    earlier: bool = False
    calls: bool = False
    compared: bool = False
    removed: bool = False
    own_pack: bool = False
    photos: bool = False
    closed: bool = False
    cell: str = ""
    demo: bool = False
    multimeter: bool = False
    tester: bool = False
    power_meter: bool = False

    @property
    def instrument(self) -> bool:
        return self.multimeter or self.tester or self.power_meter


NEEDS: dict[str, tuple[Callable[[InHand], bool], str]] = {
    "job": (lambda now: now.job, "No job is open: Ctrl+N takes one in."),
    "board": (lambda now: now.board, "This job has no board pack."),
    "weighed": (lambda now: now.weighed, "Nothing is weighed yet."),
    "held": (lambda now: now.held, "Nothing is held."),
    "entries": (lambda now: now.entries, "Nothing left to strike out."),
    "struck": (lambda now: now.struck, "Nothing was struck out here."),
    "earlier": (lambda now: now.earlier, "This unit was not here before, by its serial."),
    "calls": (lambda now: now.calls, "No job calls."),
    "compared": (lambda now: now.compared, "Nothing is compared."),
    "removed": (lambda now: now.removed, "Nothing is disconnected."),
    "own_pack": (lambda now: now.own_pack, "This pack is not the shop's own: offer the unit as known-good instead."),
    "multimeter": (lambda now: now.multimeter, "No multimeter is connected: Ctrl+Shift+F looks for one."),
    "tester": (lambda now: now.tester, "No port tester is connected: Ctrl+Shift+F looks for one."),
    "power_meter": (lambda now: now.power_meter, "No power meter is connected: Ctrl+Shift+F looks for one."),
    "instrument": (lambda now: now.instrument, "No instrument is connected."),
    "closed": (lambda now: now.closed, "This job is still open."),
    "photos": (lambda now: now.photos, "There is no photo of this unit yet."),
    "demo": (lambda now: now.demo, "It is on the demo bench: Look at the demo bench."),
    "cell_unplugged": (lambda now: now.cell != "unplugged", "The cell is unplugged already."),
    "cell_plugged": (lambda now: now.cell != "plugged", "The cell is in already."),
    "cell_known_good": (lambda now: now.cell != "known_good", "The known-good cell is in already."),
    "cell_new": (lambda now: now.cell != "new", "The new cell is in already."),
}


@dataclass(frozen=True)
class Command:
    """id as 'room.name'; shortcut in portable text, empty for none; what: what it does, in half a line; words: what
    else people type for it; needs: what must be there, by name; short: on its button, where the title is too long."""

    id: str
    title: str
    shortcut: str = ""
    what: str = ""
    words: str = ""
    needs: tuple[str, ...] = ()
    short: str = ""

    @property
    def label(self) -> str:
        """On its button."""
        return self.short or self.title

    @property
    def needs_job(self) -> bool:
        return bool(set(self.needs) - {"calls", "instrument", "demo"})

    def why_not(self, now: InHand) -> str:
        """What keeps it from being run now, in words; empty where nothing does. A missing job is said first."""
        if self.needs_job and not now.job:
            return NEEDS["job"][1]
        return next((words for there, words in (NEEDS[need] for need in self.needs) if not there(now)), "")


GROUPS: tuple[tuple[str, tuple[Command, ...]], ...] = (
    ("Jobs", (
        Command("job.new", "New job", "Ctrl+N", "take in a unit by its serial", "open intake create add",
                short="New job"),
        Command("job.search", "Search all jobs", "Ctrl+F",
                "by serial, model, place, part or what an owner said", "find"),
        Command("job.next", "Next job on the shelf", "Ctrl+PgDown", "the tag below", ""),
        Command("job.previous", "Previous job on the shelf", "Ctrl+PgUp", "the tag above", ""),
        Command("job.due", "Go to the job that calls", "Ctrl+D", "a wait has ended", "alarm timer", ("calls",)),
        Command("job.earlier", "Open this unit's earlier job", "",
                "the same serial was here before", "history", ("job", "earlier"), short="Earlier job"),
        Command("job.comeback", "This unit came back", "", "a new job that knows this closed one",
                "again return reopen warranty", ("job", "closed"), short="It came back…"),
        Command("job.wait", "Wait, on the shelf", "Ctrl+W",
                "for parts, a cell, the owner: say until when", "pause shelve postpone later", ("job",)),
        Command("job.wait_draw", "Wait until the draw is clear", "Ctrl+Shift+W",
                "the time at which a flat cell and a fault can be told apart", "charge timer", ("job", "weighed"),
                short="Wait until clear"),
        Command("job.export", "Export this job as a file", "Ctrl+E",
                "everything in the trail, to be read elsewhere", "save send share backup", ("job",)),
        Command("job.import", "Import a job file", "Ctrl+I",
                "from another bench, or a file dropped on the window", "open load"),
    )),
    ("Next step", (
        Command("step.go", "Go to the next step", "Ctrl+Return",
                "to the place in the window where it is done", "advice card", ("weighed",)),
        Command("step.why", "Why this suspect: next one", "Ctrl+J",
                "what speaks for and against it", "reason explain", ("weighed",),
                short="Next suspect"),
        Command("step.why_not", "Why not this part", "Ctrl+Shift+J",
                "what speaks against a part that you name", "reason explain", ("weighed",), short="Why not…"),
        Command("step.cost", "Compare another step", "Ctrl+Shift+N",
                "its expected work beside the step advised", "quote cost price worth", ("weighed",),
                short="Compare a step"),
        Command("gate.pass", "Override a safety hold", "Ctrl+G",
                "with your reason, which stays on record", "gate pass hold", ("held",)),
    )),
    ("Intake and safety", (
        Command("view.intake", "Intake", "Alt+1", "what the owner says, what was seen", "view", ("job",)),
        Command("safety.danger", "Danger seen", "Ctrl+Shift+X",
                "wet, hot, swollen, smell or smoke", "hazard warning", ("job",), short="Danger seen"),
        Command("safety.safe", "Made safe", "Ctrl+Shift+U",
                "isolated, opened, cell out, inspected", "hazard", ("job",), short="Made safe"),
        Command("cell.unplugged", "Cell is unplugged", "Ctrl+U",
                "before readings, heat and injection", "battery out remove disconnect", ("job", "cell_unplugged")),
        Command("cell.plugged", "Cell is plugged in", "", "the unit's own", "battery in", ("job", "cell_plugged")),
        Command("cell.known_good", "Known-good cell is in", "",
                "one of the bench's, proved", "battery swap", ("job", "cell_known_good")),
        Command("cell.new", "New cell is fitted", "", "it stays in the unit", "battery replace", ("job", "cell_new")),
        Command("access.opened", "Opened to", "",
                "how far the unit is open: back off, board out", "access level opened", ("board",)),
    )),
    ("Supply", (
        Command("view.supply", "Supply", "Alt+2", "look into the port, gear, volts and amps", "view", ("job",)),
        Command("draw.meter", "Record the power meter, live", "Ctrl+Shift+E",
                "the same again ends it and records the log", "stream start stop log", ("job", "power_meter"),
                short="Record live"),
        Command("draw.import", "Read a power meter's CSV", "Ctrl+Shift+O",
                "its columns are shown before anything is kept", "load file log", ("job",), short="Read CSV"),
        Command("draw.follow", "Follow a growing CSV, live", "Ctrl+Shift+L",
                "a file that a power meter's program still writes", "file log tail", ("job",), short="Follow CSV"),
        Command("draw.plot", "To the plot", "Ctrl+Shift+D", "cursor, zoom and mark by keys", "chart curve", ("job",),
                short="To the plot"),
        Command("gear.add", "Add a supply, cable or dock", "",
                "a name for each, to be proved", "charger adapter new", ("job",), short="Add gear"),
        Command("gear.proved", "Supply, cable and dock work", "Ctrl+Shift+G",
                "they have just charged a known-good unit", "proved good gear", ("job",)),
        Command("gear.bad", "The supply is bad", "", "proved with a known-good unit", "gear fault", ("job",),
                short="Supply is bad"),
        Command("gear.away", "Put the chosen supply away", "",
                "what it was used for stays in the trail", "remove delete gear", ("job",), short="Put supply away"),
        Command("proof.measure", "Measure for the proof", "",
                "what the power meter shows for the chosen way up, judged as it comes", "live full power",
                ("board", "power_meter"), short="Measure"),
        Command("proof.sometimes", "It comes and goes", "", "how often; the program says how many tries make it gone",
                "intermittent sometimes flaky loose", ("board",), short="It comes and goes…"),
        Command("proof.leave", "Leave a check out", "", "with the reason, which stands on the sheet",
                "skip not tested", ("board",), short="Leave out…"),
        Command("swap.known_good", "Tried with a known-good one", "Ctrl+Shift+S",
                "supply, cable, dock, fan or controllers", "swap exchange", ("board",), short="Known-good tried"),
    )),
    ("Port", (
        Command("view.port", "Port", "Alt+3", "diode readings, contact by contact", "view", ("job",)),
        Command("capture.walk", "Hands-free measuring", "Ctrl+Space",
                "touch, hear, go on: the points that are due, one after another", "walk listen probe type",
                ("board",), short="Hands-free"),
        Command("capture.scan", "Read the port tester", "Ctrl+Shift+R",
                "all contacts in one entry", "scan", ("board", "tester"), short="Port tester"),
        Command("port.turned", "Tester turned over, or back", "Ctrl+Shift+T",
                "so that a fault of the tester shows", "flip reverse", ("board",), short="Turned over"),
        Command("port.pairs", "Contact to contact, in ohms", "Ctrl+Alt+O",
                "the contacts that must be one node", "resistance continuity", ("board",), short="Contact to contact"),
        Command("port.shift", "Move readings by one contact", "Ctrl+Alt+M",
                "where the scan fits better shifted", "correct", ("board",), short="Shift by one"),
        Command("port.naming", "Contacts as A1 to B12, or 1 to 24", "",
                "as your breakout counts them", "breakout names", ("board",), short="A1 or 1 to 24"),
        Command("port.breakout", "Add a breakout", "",
                "with the order in which it counts the contacts", "adapter", ("board",), short="Add breakout"),
        Command("port.cleaned", "Port cleaned", "", "looked at again, it may take a plug", "dirt lint", ("job",),
                short="Port cleaned"),
        Command("board.temperature", "Board temperature", "",
                "for the readings that follow; they are corrected to 21 °C", "warm celsius", ("job",),
                short="Board temperature"),
        Command("compare.choose", "Compare with other readings", "Ctrl+Shift+Y",
                "an earlier scan, or a known-good board", "before after difference", ("board",), short="Compare"),
        Command("compare.none", "Compare with nothing", "", "take the other readings away", "clear", ("compared",),
                short="Stop comparing"),
        Command("method.diode", "Diode mode: red or black on ground", "Ctrl+Shift+M",
                "the polarity of the readings that follow", "polarity probe", ("board",)),
        Command("method.ohms", "Point to point: resistance or continuity", "",
                "how two points are measured", "ohms beep", ("board",), short="Ohms or continuity"),
        Command("meter.next", "Next meter", "Ctrl+M",
                "the one in hand, with its own correction", "multimeter change", ("job",)),
        Command("meter.set_up", "Set up a meter", "",
                "test current, and what it shows as OL", "multimeter add new", ("job",), short="Set up a meter"),
        Command("meter.remove", "Put away a meter", "",
                "what it has read keeps its name", "multimeter delete", ("job",), short="Put away a meter"),
    )),
    ("Board", (
        Command("view.board", "Board", "Alt+4", "the plan, its points and the path in question", "view plan", ("job",)),
        Command("board.look", "Looked over the board", "Ctrl+B",
                "missing, burst, askew or corroded parts", "inspect see", ("board",), short="Looked over"),
        Command("board.photo", "Photo under the plan, or none", "", "weak, strong, none", "picture image dim",
                ("board",), short="Photo"),
        Command("load.off", "Disconnect a load", "Ctrl+L",
                "unplug it, or lift a part or a pin", "isolate remove lift", ("board",), short="Disconnect"),
        Command("load.back", "Put back what is disconnected", "Ctrl+Shift+B",
                "parts, pins and plugs", "reconnect refit", ("board", "removed"), short="Put back"),
        Command("rail.volts", "Volts of a rail", "Ctrl+R",
                "under power, at one of its points", "measure voltage", ("board",), short="Rail volts"),
        Command("rail.inject", "Injected into a rail", "Ctrl+Shift+I",
                "volts, amps, and what warmed", "heat thermal short", ("board",), short="Injected"),
    )),
    ("Rework", (
        Command("view.rework", "Rework", "Alt+5",
                "what is replaced, reflowed, wired or cleaned", "view repair", ("job",)),
        Command("rework.audit", "Rework audited", "Ctrl+Shift+A",
                "parts counted, no bridges, flux off", "check inspect", ("job",), short="Audited"),
        Command("cause.supply", "Cause: the owner's supply", "", "told on the sheet", "reason why", ("job",),
                short="Cause: supply"),
        Command("cause.dock", "Cause: the dock", "", "told on the sheet", "reason why", ("job",), short="Cause: dock"),
        Command("cause.force", "Cause: force", "", "on the plug or the port", "reason why drop", ("job",),
                short="Cause: force"),
        Command("cause.liquid", "Cause: liquid", "", "keep it dry", "reason why wet", ("job",), short="Cause: liquid"),
        Command("cause.unknown", "Cause: not determined", "", "nothing points to one", "reason why waive", ("job",),
                short="Cause: unknown"),
    )),
    ("Proof and hand-over", (
        Command("view.proof", "Proof", "Alt+6", "each function, tried and ticked", "view test", ("job",)),
        Command("view.handover", "Hand-over", "Alt+7",
                "how the job ends, and the owner's sheet", "view close finish", ("job",)),
        Command("sheet.pdf", "Hand-over sheet as PDF", "Ctrl+P", "for the owner", "print export report", ("board",),
                short="Sheet as PDF"),
        Command("sheet.shelf", "Shelf's sheet as PDF", "", "all readings, draws, photos, minutes, parts",
                "print export report record archive", ("board",), short="For the shelf…"),
        Command("sheet.shelf_html", "Shelf's sheet as HTML", "", "one file, pictures in it", "export report web",
                ("board",), short="Shelf as HTML…"),
        Command("sheet.label", "Label for the unit", "", "its serial, when it is due, and a code that opens the job",
                "print qr barcode sticker scan", ("job",), short="Label…"),
        Command("shop.paper", "What the sheets say of the shop", "", "name, address, terms, days it stands for, paper",
                "letterhead warranty a4 letter roll settings", (), short="The shop…"),
        Command("sheet.html", "Hand-over sheet as HTML", "Ctrl+Shift+H", "for the owner", "export report", ("board",),
                short="Sheet as HTML"),
    )),
    ("Known-good", (
        Command("view.library", "Known-good", "Alt+8",
                "boards, points and meters that readings are compared with", "view library reference", ("job",)),
        Command("library.offer", "Offer this unit as known-good", "Ctrl+Shift+K",
                "its readings count for the next unit", "library add reference", ("board",), short="Offer this unit"),
        Command("library.out", "Exclude a known-good board", "",
                "with a reason; all is judged again", "library remove reference", ("board",), short="Exclude a board"),
        Command("library.back", "Include a known-good board again", "",
                "one that was excluded", "library reference", ("board",), short="Include again"),
        Command("library.write", "Export the known-good as CSV", "", "of this model", "library save", ("board",),
                short="Export CSV"),
        Command("library.read", "Merge known-good from CSV", "",
                "rows that don't fit are set aside and shown", "library import load", ("board",), short="Merge CSV"),
        Command("library.reference_meter", "This meter is the shop's reference", "",
                "all others are compared with it", "library", ("board",), short="Reference meter"),
        Command("library.learn", "Learn from closed jobs", "",
                "how often each part fails here", "rates priors", ("board",), short="Learn"),
        Command("library.forget", "Forget what was learned", "",
                "the pack's own rates again", "rates priors", ("board",), short="Forget"),
        Command("judging.false_alarm", "False alarms accepted per scan", "",
                "how often a good board may be called abnormal", "threshold sensitivity", ("board",),
                short="False alarms"),
        Command("shop.labour", "Shop rates", "", "what a minute of work costs", "money price hourly", ("job",),
                short="Shop rates"),
        Command("shop.price", "Price of a part", "", "in this shop", "money cost", ("board",), short="Part price"),
    )),
    ("Teardown", (
        Command("view.teardown", "Teardown", "Alt+T", "what is undone next, and put back",
                "view screws open case", ("job",)),
        Command("teardown.turn", "The way back, or in again", "", "screws go back where they were",
                "assemble close reverse", ("board",), short="Turn round"),
        Command("teardown.mat", "Mat to lay screws on", "", "in true size, with a rule to check the printer",
                "print pdf paper", ("board",), short="Mat…"),
        Command("teardown.add", "Add to the map of this unit", "", "each fastener as it is undone",
                "describe new screw", ("board", "own_pack"), short="Add to the map…"),
    )),
    ("Photos", (
        Command("view.photos", "Photos", "Alt+0", "as it came, the port, before and after", "view pictures images",
                ("job",)),
        Command("photo.add", "Add a photo", "", "from a file, or drop one on the window", "picture image jpeg png",
                ("job",), short="Add a photo…"),
        Command("photo.due", "Take the photo that is due", "", "under the demo's microscope, else from a file",
                "picture rework before", ("job",), short="Photo due…"),
        Command("photo.paste", "Paste a photo", "", "what the clipboard holds", "picture image", ("job",),
                short="Paste"),
        Command("photo.camera", "Take a photo with a camera", "", "an ordinary one, such as a USB microscope",
                "picture snapshot webcam", ("job",), short="Camera…"),
        Command("photo.microscope", "Photo under the simulated bench's microscope", "",
                "the hidden unit's port or board, as it is", "picture demo look", ("job", "demo"),
                short="Microscope…"),
        Command("photo.watch", "Watch a folder for photos", "", "into which a microscope's own program saves",
                "picture directory", (), short="Watch a folder…"),
        Command("photo.words", "Say what is to be seen on a photo", "", "its words, and what it shows",
                "caption describe", ("job", "photos"), short="Words…"),
        Command("photo.ring", "Ring something on a photo", "", "apart from the picture", "mark circle annotate",
                ("job", "photos"), short="Ring"),
        Command("photo.arrow", "Point an arrow on a photo", "", "apart from the picture", "mark annotate",
                ("job", "photos"), short="Arrow"),
        Command("photo.unmark", "Take the last mark off a photo", "", "a ring or an arrow", "remove erase",
                ("job", "photos"), short="Mark off"),
        Command("photo.over", "Two photos over one another", "", "before and after, with a slider", "compare blend",
                ("job", "photos"), short="Over one another"),
    )),
    ("Pack", (
        Command("view.packmaking", "Pack", "Alt+9", "what the pack of this model knows, and what it can't say yet",
                "view board model describe", ("job",)),
        Command("pack.new", "Another model", "", "a pack for a unit nobody has described: four questions",
                "new own pack create template", short="Another model…"),
        Command("pack.files", "Pack from files", "", "a test netlist (IPC-D-356A), and tables of its parts",
                "import netlist centroid bom pick place", short="Pack from files…"),
        Command("pack.good", "This unit is good: learn from it", "",
                "its readings and its draw teach the pack", "reference known-good teach", ("board", "own_pack"),
                short="This unit is good…"),
        Command("pack.place", "Place a part", "", "its designator and nets, then a click on the plan",
                "component put add draw", ("board", "own_pack"), short="Place a part…"),
        Command("pack.unplace", "Take a part off the pack", "", "one that was placed",
                "component wrong", ("board", "own_pack"), short="Take off…"),
        Command("pack.alike", "Find parts that look alike", "", "on the photo: mark one, take or leave the others",
                "same image match bank capacitors row", ("board", "own_pack"), short="Find its like…"),
        Command("pack.back", "Take the last step of the pack back", "", "a part, a photo, nets, what was learned",
                "undo revert", ("board", "own_pack"), short="Step back"),
        Command("pack.again", "Bring the step of the pack again", "", "that was taken back",
                "redo", ("board", "own_pack"), short="Step again"),
        Command("pack.probe", "Find nets by probing", "", "one touch after the other, as few as will do",
                "continuity beep net join", ("board", "own_pack"), short="Nets by probing…"),
        Command("pack.photo", "Photo of the board", "", "under the plan, set right by its four corners",
                "picture image jpeg camera", ("board", "own_pack"), short="Photo…"),
        Command("pack.send", "Send this pack", "", "as one zip file, with its readings", "export share save",
                ("board",), short="Send the pack…"),
    )),
    ("The day", (
        Command("view.day", "The day", "Alt+D", "what hands do when, and which promise is at risk",
                "view plan schedule today deadlines calendar"),
        Command("day.open", "Open the job of the chosen step", "", "or Enter in the list", "go", (),
                short="Open the job"),
        Command("day.pin", "Put a job at a time", "", "its next step begins then; a block can be dragged too",
                "pin move schedule", (), short="Put it at…"),
        Command("day.free", "Let the plan place a job again", "", "it was put somewhere by hand", "unpin free", (),
                short="Let it go"),
        Command("day.hours", "Working hours", "", "of each weekday, breaks between them", "settings calendar opening",
                (), short="Hours…"),
        Command("day.off", "A day off", "", "or a working day again", "holiday closed settings", (),
                short="Day off…"),
        Command("day.post", "When the last post goes", "", "and how many days it takes", "parcel carrier settings", (),
                short="Last post…"),
        Command("day.calendar", "Write the day as a calendar", "", "iCalendar, for any calendar program",
                "ics export save", (), short="Calendar…"),
        Command("day.csv", "Write the day as CSV", "", "one step a row", "export save spreadsheet", (),
                short="CSV…"),
    )),
    ("Stock", (
        Command("view.stock", "Stock and donors", "Alt+S", "lots, what fails, what donors hold, what to order",
                "view parts drawer inventory"),
        Command("stock.in", "Take in a lot of parts", "", "what it is, how many, what it fits, where it lies",
                "new add buy receive", (), short="Lot in…"),
        Command("stock.count", "Count a lot", "", "what is there, whatever the ledger says", "correct inventory", (),
                short="Count…"),
        Command("stock.move", "A lot lies elsewhere", "", "drawer and bag", "place location", (), short="Place…"),
        Command("stock.aside", "Set a lot aside, or back in use", "", "with the reason", "bad quarantine block", (),
                short="Set aside…"),
        Command("stock.undo", "Undo the last line of the ledger", "", "it no longer counts", "strike ledger", (),
                short="Undo line"),
        Command("stock.donor", "Find a part on a donor", "", "for a place of the job in hand: which, how sure",
                "used salvage", ("board",), short="Find on donors…"),
        Command("stock.promise", "Promise the chosen donor's part to this job", "", "or free it again",
                "reserve", ("job",), short="Promise"),
        Command("stock.take", "The chosen part was taken off its donor", "", "for this job, or for the drawer",
                "removed pulled", (), short="Taken off…"),
        Command("stock.ordered", "Parts were ordered", "", "the chosen line of what to order", "buy", (),
                short="Ordered…"),
        Command("stock.orders", "Write what to order as CSV", "", "for the supplier", "export list save", (),
                short="Order list…"),
        Command("stock.csv", "Write all lots as CSV", "", "one lot a row", "export save spreadsheet", (),
                short="CSV…"),
        Command("stock.label", "Label for a lot", "", "its name, and a code that finds it", "print qr barcode bag", (),
                short="Label…"),
    )),
    ("Money", (
        Command("view.money", "Money", "Alt+M", "this job's price, the month, lots of units",
                "view quote cost price profit"),
        Command("money.quote", "Quote this job", "", "a fixed price or a ceiling, at the chosen risk",
                "offer estimate price", ("board", "weighed"), short="Quote…"),
        Command("money.answer", "What the owner said to the quote", "", "accepted or declined", "answer", ("job",),
                short="Owner says…"),
        Command("money.sheet", "Quote as a sheet", "", "for the owner, as PDF", "print paper offer", ("job",),
                short="Quote sheet…"),
        Command("money.paid", "Money came in for this unit", "", "the owner paid, or it was sold", "payment sale",
                ("job",), short="Paid…"),
        Command("money.own", "This unit is the shop's own", "", "what it is worth repaired, and as a donor",
                "resale bought fleet", ("job",), short="Shop's own…"),
        Command("money.refine", "Play this job by the whole advice", "", "slower than the quick forecast, and surer",
                "forecast simulate", ("board", "weighed"), short="Play it through…"),
        Command("money.lot", "A lot of units was bought", "", "what it cost, how many", "buy resale", (),
                short="Units bought…"),
        Command("money.unseen", "What to pay for a lot of units", "", "bought unseen, with these complaints",
                "buy resale auction estimate", ("board",), short="What to pay…"),
        Command("money.month", "Another month", "", "the one before, or any", "period date", (), short="Month…"),
        Command("money.csv", "Write the month as CSV", "", "one job a row", "export save spreadsheet", (),
                short="CSV…"),
        Command("money.charges", "What the shop charges", "", "postage, rush, parts, risk of loss",
                "settings fee margin", (), short="Charges…"),
        Command("money.currency", "Currency, rounding, tax", "", "how amounts are shown and rounded",
                "settings vat euro dollar", (), short="Currency…"),
    )),
    ("Instruments and sound", (
        Command("instrument.find", "Look for instruments", "Ctrl+Shift+F",
                "multimeter, port tester, power meter, supply", "connect search device"),
        Command("instrument.connect", "Connect an instrument by its address", "",
                "where it is not found by itself", "device resource"),
        Command("meter.listen", "Describe a meter by listening", "",
                "any that sends lines: three touches, and it is written down", "unknown serial new teach dmm"),
        Command("meter.allow", "Ports the search may ask", "", "a serial port is asked only when allowed",
                "permission device search"),
        Command("meter.take", "Take in the description of an instrument", "", "a TOML file somebody shared",
                "import load driver"),
        Command("meter.share", "Share the description of an instrument", "", "as a file", "export save driver"),
        Command("instrument.call", "What an instrument is called here", "",
                "its readings and its correction stand under that name", "name meter serial", ("instrument",)),
        Command("instrument.use", "Use another instrument that answers", "", "of those the search has found",
                "switch second meter spare", ("instrument",)),
        Command("instrument.leave", "Disconnect an instrument", "",
                "the program lets go of it", "device release", ("instrument",)),
        Command("capture.pedal", "Which key the foot switch sends", "", "press it once", "pedal foot", ("job",)),
        Command("capture.hold", "How long OL is held", "", "until a point counts as open", "seconds open", ("job",)),
        Command("sound.level", "How loud the sounds are", "", "0 is silent", "volume mute"),
        Command("sound.cues", "Which sounds are heard", "", "one by one", "cues mute"),
        Command("sound.speech", "Speak points and verdicts, or don't", "", "by the system's voice", "voice talk"),
    )),
    ("Keeping", (
        Command("keep.backup", "Back up everything", "", "one file, checked after it is written",
                "save copy export zip", short="Back up…"),
    )),
    ("Trail and copies", (
        Command("trail.strike", "Undo: strike out the last entry", "Ctrl+Z",
                "it stays to be seen, and no longer counts", "undo delete remove revert", ("job", "entries"),
                short="Undo"),
        Command("trail.back", "Redo: bring back what was struck out", "Ctrl+Shift+Z",
                "it counts again", "redo restore", ("job", "struck"), short="Redo"),
        Command("trail.strike_one", "Strike out the chosen entry, or bring it back", "Ctrl+Del",
                "the one marked in the trail", "delete remove undo", ("job",), short="Strike out chosen"),
        Command("copy.text", "Copy this view as text", "Ctrl+Shift+C", "to paste elsewhere", "clipboard", ("job",)),
        Command("copy.picture", "Copy this view as a picture", "Ctrl+Shift+P",
                "to paste elsewhere", "clipboard screenshot image", ("job",)),
        Command("copy.csv", "Copy the draw log as CSV", "Ctrl+Alt+C",
                "seconds, volts, amps", "clipboard trace", ("job",), short="Copy CSV"),
    )),
    ("Window", (
        Command("bench.who", "Who works here", "", "each entry keeps the name it was made under", "user name person"),
        Command("look.theme", "Light, dark or high contrast", "Ctrl+T", "one after another", "theme colours night"),
        Command("look.larger", "Larger text", "Ctrl++", "up to 200 %", "zoom font bigger"),
        Command("look.smaller", "Smaller text", "Ctrl+-", "down to 75 %", "zoom font"),
        Command("guide.open", "Guide", "", "how everything is done, with pictures, to be searched",
                "manual help docs handbook"),
        Command("guide.packs", "Make a board pack", "", "for a model that nobody has described: how to begin",
                "new model create"),
        Command("tour.begin", "Guided first job", "", "ten minutes on the demo's simulated bench, step by step",
                "tutorial learn training", ("demo",)),
        Command("demo.open", "Look at the demo bench", "", "a window of its own, with a simulated unit to measure",
                "example sample try"),
        Command("keys", "Keys of this view", "F1", "laid over it; again: the guide", "help shortcuts ?",
                short="Keys"),
        Command("palette", "All commands", "Ctrl+K", "type a few letters of what you want", "menu find",
                short="Commands"),
        Command("quit", "Quit", "Ctrl+Q", "nothing is lost: every entry is kept already", "exit close"),
    )),
)

COMMANDS: tuple[Command, ...] = tuple(command for _, commands in GROUPS for command in commands)
BY_ID = {command.id: command for command in COMMANDS}
