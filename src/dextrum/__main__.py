"""The command line: every verb in one place, each importing only what it needs."""

from __future__ import annotations

import argparse
import gc
import json
import os
import sys
from pathlib import Path

from dextrum.errors import DextrumError, PackError

STOPPED = 130
"""Exit status of what was stopped by Ctrl+C, as shells have it."""


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="dextrum", description="The bench companion for handhelds and "
                                     "controllers that will not charge or will not dock.")
    verbs = parser.add_subparsers(dest="verb", required=True)
    for verb, words in (("demo", "open the application on the demo bench"),
                        ("run", "open the application on your own data")):
        window = verbs.add_parser(verb, help=words)
        window.add_argument("--data", type=Path, help="folder of the job file")
        window.add_argument("--offscreen", action="store_true", help="without a screen, for scripts and tests")
        if verb == "demo":
            window.add_argument("--fresh", action="store_true", help="make the demo data anew")
    advise = verbs.add_parser("advise", help="verdicts, suspects and next actions of an exported job")
    advise.add_argument("job", type=Path)
    advise.add_argument("--json", action="store_true", help="as JSON")
    advise.add_argument("--meter", default="", help="the meter in hand")
    advise.add_argument("--packs", type=Path, action="append", default=[], help="folder with more packs")
    pack = verbs.add_parser("pack", help="check a board pack, or make its schema and readings")
    pack_verbs = pack.add_subparsers(dest="pack_verb", required=True)
    check = pack_verbs.add_parser("check", help="check a pack strictly")
    check.add_argument("folder", type=Path)
    schema = pack_verbs.add_parser("schema", help="print the JSON Schema of packs")
    schema.add_argument("--job", action="store_true", help="the schema of job files instead")
    loaners = pack_verbs.add_parser("loaners", help="print known-good readings of simulated healthy loaners")
    loaners.add_argument("folder", type=Path)
    loaners.add_argument("--seed", type=int, default=None)
    loaners.add_argument("--serials", nargs="+", default=None)
    shots = verbs.add_parser("shots", help="render every main view from demo data")
    shots.add_argument("folder", type=Path, nargs="?", default=Path("docs/screenshots"))
    shots.add_argument("--dark", action="store_true")
    shots.add_argument("--scale", type=int, default=100, help="text size in percent")
    shots.add_argument("--only", default="", help="one view")
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
    for played in (simbench, evaluate):
        played.add_argument("--packs", type=Path, action="append", default=[], help="folder with more packs")
    return parser


def _pack(options: argparse.Namespace) -> int:
    from dextrum.store.packs import load_pack, pack_schema

    if options.pack_verb == "schema":
        from dextrum.store.schemas import job_schema

        print(json.dumps(job_schema() if options.job else pack_schema(), indent=1, sort_keys=True))
        return 0
    if options.pack_verb == "loaners":
        from dextrum.instruments.loaners import LOANER_SEED, LOANER_SERIALS, known_good_of_loaners
        from dextrum.store.packs.pack_files import known_good_csv

        board = load_pack(options.folder).board
        readings = known_good_of_loaners(board, options.serials or LOANER_SERIALS,
                                         LOANER_SEED if options.seed is None else options.seed)
        sys.stdout.write(known_good_csv(readings))
        return 0
    pack = load_pack(options.folder)
    for line in pack.left_out:
        print(f"left out: {line}")
    board = pack.board
    from dextrum.store.packs.pack_doubts import doubts_of

    doubts = doubts_of(pack, options.folder)
    for doubt in doubts:
        print(f"doubtful: {doubt.place}: {doubt.words}")
    judged = "Sound." if not doubts else f"Can be used; {len(doubts)} doubtful."
    print(f"{board.pack_id}: {len(board.nets)} nets, {len(board.components)} components, "
          f"{len(board.points)} points, {len(pack.known_good)} known-good readings. {judged}")
    return 0


def _advise(options: argparse.Namespace) -> int:
    from dextrum.app.advising.advise import advise
    from dextrum.app.library.library import PackLibrary

    result = advise(options.job, PackLibrary(options.packs), options.meter)
    if options.json:
        print(json.dumps(result, indent=1, ensure_ascii=False, allow_nan=False))
        return 0
    off = [v for v in result["verdicts"] if v["verdict"] not in ("within", "not_judged")]
    print(f"{result['serial']}: {len(off)} of {len(result['verdicts'])} readings are abnormal.")
    for verdict in off:
        print(f"  {verdict['point']} reads {verdict['value']} {verdict['unit']}: {verdict['verdict']}")
    for fault in result["posterior"]["faults"][:6]:
        chance = fault["still_there"] if fault["mended"] else fault["probability"]
        still = " (repaired; chance that it is there still)" if fault["mended"] else ""
        print(f"  {chance:6.1%} {fault['words']}{still}")
    if any(fault["mended"] for fault in result["posterior"]["faults"]):
        print(f"  {result['posterior']['nothing_left']:6.1%} no fault left")
    print(f"Next: {result['actions'][0]['title']}. {result['actions'][0]['why']}")
    return 0


def _evaluate(options: argparse.Namespace) -> int:
    from dextrum.app.evaluation.case_files import check_cases, read_cases, world_named
    from dextrum.app.evaluation.evaluate import PLAYERS, Setting, evaluate, evaluation_table
    from dextrum.app.library.library import PackLibrary
    from dextrum.core.advice.rules import MAY_BE_LEFT_OUT
    from dextrum.errors import ImportRefusedError
    from dextrum.world.numbers import DEFAULT, world_as_json

    if options.print_world:
        print(world_as_json(DEFAULT))
        return 0

    def told(done: int, of: int) -> None:
        print(f"\r{done} of {of}", end="" if done < of else "\n", file=sys.stderr, flush=True)

    players = tuple(dict.fromkeys(name.strip() for name in options.players.split(",") if name.strip()))
    unknown = [name for name in players if name not in PLAYERS]
    if unknown or not players:
        raise ImportRefusedError(f"There is no player '{', '.join(unknown)}'.", "Nothing was played.",
                                 f"Name some of {', '.join(PLAYERS)}.")
    left_out = [name for name in options.without if name not in MAY_BE_LEFT_OUT]
    if left_out:
        raise ImportRefusedError(f"There is no rule '{', '.join(left_out)}' that may be left out.",
                                 "Nothing was played.", f"Name some of {', '.join(MAY_BE_LEFT_OUT)}.")
    if min(options.cases, options.repeat) < 1 or options.seed < 0:
        raise ImportRefusedError("Cases and repeats are from 1 on, a seed from 0 on.", "Nothing was played.")
    if options.mismatch and (options.world != "default" or options.cases_file is not None):
        raise ImportRefusedError("--mismatch is of the world as modelled, and goes with no other world or cases.",
                                 "Nothing was played.", "Leave one of them out.")
    if options.world == "modelled" and options.cases_file is not None:
        raise ImportRefusedError("Cases of a file are played in a world of its own, not as modelled.",
                                 "Nothing was played.", "Name another world, or none.")
    pack, listed = (options.pack, ()) if options.cases_file is None else read_cases(options.cases_file)
    world = options.world if options.world in ("drawn", "modelled") else world_named(options.world)
    if listed:
        check_cases(PackLibrary(options.packs).board(pack), listed)
    setting = Setting(options.cases, options.seed, options.mismatch, world, listed, options.repeat, players,
                      frozenset(options.without))
    found = evaluate(setting, pack, told, packs=options.packs)
    print(json.dumps(found.as_json(), indent=1, allow_nan=False) if options.json else evaluation_table(found))
    return 0


def _simbench(options: argparse.Namespace) -> int:
    from dextrum.app.bench.simbench import grade, prepare_bench, read_state, serve_until_ended
    from dextrum.app.library.library import PackLibrary
    from dextrum.instruments.simbench.server import BenchServer
    from dextrum.instruments.simulated_board import METER_M1

    library = PackLibrary(options.packs)
    server = BenchServer(prepare_bench(library, options.pack, options.faults, options.seed, read_state(options.state)))
    if options.headless:
        serve_until_ended(server, options.state, options.beside)
        return 0
    from dextrum.desktop.start import run_simbench

    advice = library.advice_model(options.pack, METER_M1.name)
    return run_simbench(server, options.state, lambda told: grade(advice, told), options.beside)


def main(arguments: list[str] | None = None) -> int:
    """Run one verb; 0 when it went well, 1 with three short sentences on the error output when not."""
    options = _parser().parse_args(arguments)
    try:
        if options.verb == "pack":
            return _pack(options)
        if options.verb == "advise":
            return _advise(options)
        if options.verb == "simbench":
            return _simbench(options)
        if options.verb == "evaluate":
            return _evaluate(options)
        if options.verb == "bench":
            from dextrum.benchmarks.run import main as bench_main

            return bench_main(options.json, options.only)
        if options.verb == "shots":
            from dextrum.desktop.shots import render_shots

            return render_shots(options.folder, options.dark, options.scale, options.only)
        # Imports make many objects and no garbage; the collector is let in again once the window stands.
        gc.disable()
        from dextrum.desktop.start import run_window

        return run_window(demo=options.verb == "demo", data=options.data, offscreen=options.offscreen,
                          fresh=getattr(options, "fresh", False))
    except PackError as problem:
        for line in problem.problems:
            print(line, file=sys.stderr)
        print(f"{len(problem.problems)} to fix. Nothing was changed.", file=sys.stderr)
        return 1
    except DextrumError as problem:
        print(problem, file=sys.stderr)
        return 1
    except BrokenPipeError:
        # Whoever read the output has seen enough; nothing is told to a reader that is gone.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return STOPPED
    except KeyboardInterrupt:
        print("Stopped.", file=sys.stderr)
        return STOPPED


if __name__ == "__main__":
    sys.exit(main())
