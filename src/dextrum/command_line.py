"""The verbs of the command line with their options, the manual page made from them, and the shells' completion."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from pathlib import Path

from dextrum import __version__

SUMMARY = "The bench companion for handhelds and controllers that will not charge or will not dock."
EXAMPLES = """examples:
  dextrum demo                             the demo bench, with a simulated unit to measure
  dextrum run                              your own bench
  dextrum run SLS-0417.job.json            takes a job file in, and shows it
  dextrum advise SLS-0417.job.json --json  what the readings say, and what comes next
  dextrum pack check FOLDER                whether a board pack can be used
  dextrum backup bench.backup.zip          all there is, in one file
"""


def build_parser() -> argparse.ArgumentParser:
    """All verbs with their options."""
    parser = argparse.ArgumentParser(
        prog="dextrum", description=SUMMARY, epilog=EXAMPLES, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--version", action="version", version=f"dextrum {__version__}")
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB", title="verbs")
    for verb, words in (("demo", "open the application on the demo bench"),
                        ("run", "open the application on your own data")):
        window = verbs.add_parser(verb, help=words)
        window.add_argument("--data", type=Path, help="folder of the job file")
        window.add_argument("--offscreen", action="store_true", help="without a screen, for scripts and tests")
        if verb == "run":
            window.add_argument("files", type=Path, nargs="*", help="job files or board packs to take in")
        if verb == "demo":
            window.add_argument("--fresh", action="store_true", help="make the demo data again")
    advise = verbs.add_parser("advise", help="verdicts, suspects and next actions of an exported job")
    advise.add_argument("job", type=Path)
    advise.add_argument("--json", action="store_true", help="as JSON")
    advise.add_argument("--meter", default="", help="the meter in hand")
    advise.add_argument("--packs", type=Path, action="append", default=[], help="folder with more packs")
    pack = verbs.add_parser("pack", help="check a board pack, or make its schema and readings")
    pack_verbs = pack.add_subparsers(dest="pack_verb", required=True)
    check = pack_verbs.add_parser("check", help="check a pack strictly")
    check.add_argument("folder", type=Path)
    new = pack_verbs.add_parser("new", help="describe a board: model, kind of port, how it opens")
    new.add_argument("shelf", type=Path, help="folder of packs; the pack gets one of its own in it")
    new.add_argument("--model", required=True)
    new.add_argument("--revision", default="A")
    new.add_argument("--port", default="usb-c-24", help="usb-c-24, usb-c-16, usb-c-power or own-socket")
    new.add_argument("--signals", default="", help="of an own socket's contacts, in order, ? where nobody knows")
    new.add_argument("--opens", default="", help="how the unit opens, with minutes: 'back off 6, board out 12'")
    place = pack_verbs.add_parser("place", help="place parts on a pack of one's own")
    place.add_argument("folder", type=Path)
    place.add_argument("parts", nargs="+", metavar="PART", help="as in the window: 'C14 CC2 GND at 12.5 8'")
    place.add_argument("--side", choices=("top", "bottom"), default="top")
    photo = pack_verbs.add_parser("photo", help="lay a photo of the board under its plan")
    photo.add_argument("folder", type=Path)
    photo.add_argument("photo", type=Path)
    photo.add_argument("--side", choices=("top", "bottom"), default="top")
    photo.add_argument("--corners", default="", metavar="X,Y …", help="pixels, clockwise from the top left, or of "
                       "the points whose places are given; without them it is laid over the photo that is kept")
    photo.add_argument("--size", default="", metavar="WxH", help="of the board, mm, with its four corners")
    photo.add_argument("--places", default="", help="of the points, mm: '3 2; 12 2; 12 9; 3 9'")
    likes = pack_verbs.add_parser("alike", help="list parts on the photo that look like a placed one, or place them")
    likes.add_argument("folder", type=Path)
    likes.add_argument("part")
    likes.add_argument("--take", default="", metavar="NUMBERS", help="of the list, or all")
    anew = pack_verbs.add_parser("anew", help="forget the nets of ends that are doubted, to be probed anew")
    anew.add_argument("folder", type=Path)
    anew.add_argument("--end", action="append", default=[], help="of a placed part, such as FL1.2, instead")
    learn = pack_verbs.add_parser("learn", help="learn references, draws and nets from a job file of a good unit")
    learn.add_argument("folder", type=Path)
    learn.add_argument("job", type=Path)
    make = pack_verbs.add_parser("make", help="make a pack from a test netlist (IPC-D-356A) and tables of parts")
    make.add_argument("folder", type=Path, help="where the pack is written; its folder is named after the pack")
    make.add_argument("--model", required=True)
    make.add_argument("--revision", default="A")
    make.add_argument("--netlist", type=Path, required=True)
    make.add_argument("--table", type=Path, action="append", default=[],
                      help="pick-and-place list or bill of materials, as CSV")
    make.add_argument("--unit", default="mm", help="of lengths in the tables that state none: mm, mil, inch")
    make.add_argument("--opens", default="", help="how the unit opens, with minutes: 'back off 6, board out 12'")
    circuit = pack_verbs.add_parser("circuit", help="lay a circuit template over a pack, or list those that fit")
    circuit.add_argument("folder", type=Path)
    circuit.add_argument("--template", default="", metavar="ID")
    circuit.add_argument("--role", action="append", default=[], metavar="ROLE=PARTS",
                         help="which parts have a role, such as pd=U1 or filters=FL1,FL2; - for none")
    circuit.add_argument("--pair", action="append", default=[], metavar="FILTER=CONTACTS",
                         help="the contacts from which a filter's lines beep, such as FL1=A2,A3")
    merge = pack_verbs.add_parser("merge", help="make one pack of two shops' packs of one board")
    merge.add_argument("ours", type=Path)
    merge.add_argument("theirs", type=Path)
    merge.add_argument("out", type=Path, help="where the merged one is written")
    merge.add_argument("--theirs", dest="theirs_wins", action="append", default=[], metavar="WHAT",
                       help="what differs and is decided for them, as it is listed: 'components C14'")
    export = pack_verbs.add_parser("export", help="write a pack as .zip, .ipc (IPC-D-356A), .csv (parts), or a folder")
    export.add_argument("folder", type=Path)
    export.add_argument("out", type=Path, help="its ending says the form; without one: the folder to put it into")
    export.add_argument("--over", action="store_true", help="replace what is there")
    netlist = pack_verbs.add_parser("netlist", help="print a pack as a test netlist (IPC-D-356A)")
    netlist.add_argument("folder", type=Path)
    schema = pack_verbs.add_parser("schema", help="print the JSON Schema of packs")
    schema.add_argument("--job", action="store_true", help="the schema of job files instead")
    schema.add_argument("--meter", action="store_true", help="the schema of descriptions of meters instead")
    loaners = pack_verbs.add_parser("loaners", help="print known-good readings of simulated healthy loaners")
    loaners.add_argument("folder", type=Path)
    loaners.add_argument("--seed", type=int, default=None)
    loaners.add_argument("--serials", nargs="+", default=None)
    shots = verbs.add_parser("shots", help="render every main view from demo data")
    shots.add_argument("folder", type=Path, nargs="?", default=Path("docs/screenshots"))
    shots.add_argument("--dark", action="store_true")
    shots.add_argument("--scale", type=int, default=100, help="text size in percent")
    shots.add_argument("--only", default="", help="one view")
    shots.add_argument("--guide", action="store_true", help="the smaller ones of the guide too")
    bench = verbs.add_parser("bench", help="measure speed and memory against the budgets")
    bench.add_argument("--json", action="store_true")
    bench.add_argument("--only", default="", help="one benchmark")
    simbench = verbs.add_parser("simbench", help="a simulated bench: a board with hidden faults, and its instruments")
    simbench.add_argument("--pack", default="tarnwick-duo-c")
    simbench.add_argument("--faults", nargs="+", default=[], help="fault ids; without them they are drawn by the seed")
    simbench.add_argument("--seed", type=int, default=0)
    simbench.add_argument("--state", type=Path, default=None, help="file that keeps the bench, and says its addresses")
    simbench.add_argument("--beside", type=int, default=0, help="end when this process has ended")
    simbench.add_argument("--headless", action="store_true", help="without the window of the hands")
    evaluate = verbs.add_parser("evaluate", help="play whole jobs on the simulated board, by several players")
    evaluate.add_argument("--cases", type=int, default=200)
    evaluate.add_argument("--seed", type=int, default=1)
    evaluate.add_argument("--mismatch", action="store_true", help="the world differs from the model")
    evaluate.add_argument("--json", action="store_true", help="as JSON")
    evaluate.add_argument("--pack", default="tarnwick-duo-c")
    evaluate.add_argument("--world", default="default", help="a file, or default, rough, drawn, modelled")
    evaluate.add_argument("--print-world", action="store_true", help="write the default world, and end")
    evaluate.add_argument("--cases-file", type=Path, default=None, help="play these cases")
    evaluate.add_argument("--repeat", type=int, default=1, help="each case of the file so often")
    evaluate.add_argument("--players", default="advice,routine,chance,oracle", help="who plays, with commas")
    evaluate.add_argument("--without", action="append", default=[], metavar="RULE",
                          help="leave out a rule of the advice")
    evaluate.add_argument("--assume", action="append", default=[], metavar="NAME=NUMBER",
                          help="judge by another number than what is assumed: docs/assumptions.md")
    evaluate.add_argument("--each-rule", action="store_true",
                          help="play once more, without it, the cases in which each rule put a step first")
    evaluate.add_argument("--rung", type=int, default=0, choices=(1, 2, 3),
                          help="by a pack cut down to a rung of the ladder of own packs")
    evaluate.add_argument("--wrong-nets", type=float, default=0.0, metavar="SHARE",
                          help="with --rung 3: of the pack's ends, those on a wrong net")
    evaluate.add_argument("--probed-anew", action="store_true",
                          help="with --rung 3: ends that the program doubts are probed anew first, as it asks")
    measure = verbs.add_parser("measure", help="hold forecasts and plans against the simulated world")
    measures = measure.add_subparsers(dest="measured", required=True)
    outlook = measures.add_parser("outlook", help="whether forecasts of the rest of a job hold")
    outlook.add_argument("--jobs", type=int, default=200)
    outlook.add_argument("--pack", default="tarnwick-duo-c")
    weeks = measures.add_parser("weeks", help="weeks worked by the plan, and by orders kept in the head")
    outlook.add_argument("--world", default="default", help="a file, or default, rough")
    outlook.add_argument("--whole", type=int, default=0, metavar="PLAYS",
                         help="play each forecast so often by the whole advice too: some seconds a play")
    weeks.add_argument("--weeks", type=int, default=200)
    weeks.add_argument("--spread", type=float, default=None, help="of the logarithm: how far off expected minutes are")
    for one in (outlook, weeks):
        one.add_argument("--seed", type=int, default=1)
        one.add_argument("--json", action="store_true", help="as JSON")
    backup = verbs.add_parser("backup", help="write all jobs, photos, packs and settings into one file, and check it")
    backup.add_argument("file", type=Path)
    backup.add_argument("--data", type=Path, help="folder of the job file")
    backup.add_argument("--over", action="store_true", help="replace the file if one is there")
    restore = verbs.add_parser("restore", help="a bench as it was backed up, in an empty folder")
    restore.add_argument("file", type=Path)
    restore.add_argument("--data", type=Path, help="the folder; the user's own by default")
    entry = verbs.add_parser("install-desktop", help="menu entry, icon and file types for this user")
    entry.add_argument("--remove", action="store_true", help="take them away again")
    verbs.add_parser("man", help="print the manual page")
    shell = verbs.add_parser("completion", help="print the completion of a shell")
    shell.add_argument("shell", choices=("bash", "zsh", "tcsh"))
    for played in (simbench, evaluate, outlook):
        played.add_argument("--packs", type=Path, action="append", default=[], help="folder with more packs")
    return parser


def _verbs(parser: argparse.ArgumentParser) -> Iterator[tuple[str, argparse.ArgumentParser, str]]:
    """Each verb with its parser and what it does; verbs of verbs by both names."""
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            helps = {choice.dest: choice.help or "" for choice in action._choices_actions}
            for name, inner in action.choices.items():
                deeper = list(_verbs(inner))
                if deeper:
                    yield from ((f"{name} {below}", one, words) for below, one, words in deeper)
                else:
                    yield name, inner, helps.get(name, "")


def _roff(text: str) -> str:
    return text.replace("\\", "\\e").replace("-", "\\-")


def man_page() -> str:
    """The manual page, in roff, from the parser itself."""
    lines = [f'.TH DEXTRUM 1 "" "dextrum {__version__}" "User commands"', ".SH NAME",
             f"dextrum \\- {_roff(SUMMARY[0].lower() + SUMMARY[1:].rstrip('.'))}", ".SH SYNOPSIS",
             ".B dextrum", ".I verb", "[options]", ".SH VERBS"]
    for name, parser, words in _verbs(build_parser()):
        lines += [".TP", f".B {_roff(name)}", _roff(words[:1].upper() + words[1:] + "." if words else "")]
        for action in parser._actions:
            if isinstance(action, argparse._HelpAction):
                continue
            shown = ", ".join(action.option_strings) or str(action.metavar or action.dest).upper()
            told = f": {action.help}" if action.help else ""
            lines += [".br", f"\\fI{_roff(shown)}\\fR{_roff(told)}"]
    lines += [".SH EXAMPLES", ".nf", _roff("\n".join(line.strip() for line in EXAMPLES.splitlines()[1:])), ".fi",
              ".SH FILES", ".TP", ".I $XDG_DATA_HOME/dextrum",
              "Jobs, settings and packs; kept for the user alone.", ".TP", ".I $XDG_CACHE_HOME/dextrum",
              "What was worked out of boards; it may be deleted at any time."]
    return "\n".join(lines) + "\n"


def completion(shell: str) -> str:
    """The completion script of a shell: bash, zsh or tcsh."""
    import shtab

    return str(shtab.complete(build_parser(), shell))
