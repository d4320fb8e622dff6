"""The command line: every verb in one place, each importing only what it needs."""

from __future__ import annotations

import argparse
import gc
import json
import os
import sys
from collections.abc import Callable, Iterable

from dextrum.command_line import build_parser
from dextrum.errors import DextrumError, PackError
from dextrum.one_thread import ONE_THREAD

STOPPED = 130
"""Exit status of what was stopped by Ctrl+C, as shells have it."""


def _pack(options: argparse.Namespace) -> int:
    from dextrum.store.packs import load_pack, pack_schema

    if options.pack_verb == "schema":
        from dextrum.store.meter_files import meter_schema
        from dextrum.store.schemas import job_schema

        if options.meter:
            print(json.dumps(meter_schema(), indent=1, sort_keys=True))
            return 0
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
    if options.pack_verb == "photo":
        from dextrum.desktop.packmaking.photo_by_command import lay_photo

        for said in lay_photo(options.folder, options.photo, options.side, options.corners, options.size,
                              options.places):
            print(said)
        return 0
    if options.pack_verb in ("new", "place", "alike", "anew", "learn"):
        from dextrum.app.packmaking import by_command

        steps: dict[str, Callable[[argparse.Namespace], Iterable[str]]] = {
            "new": lambda o: by_command.new_pack(o.shelf, o.model, o.revision, o.port, o.signals, o.opens),
            "place": lambda o: by_command.place_parts(o.folder, o.parts, o.side),
            "alike": lambda o: by_command.place_likes(o.folder, o.part, o.take),
            "anew": lambda o: by_command.open_ends(o.folder, o.end),
            "learn": lambda o: by_command.learn_from(o.folder, o.job)}
        for said in steps[options.pack_verb](options):
            print(said)
        return 0
    if options.pack_verb == "make":
        from dextrum.app.packmaking.shop_files import made_from_files

        for said in made_from_files(options.folder, options.model, options.revision, options.netlist, options.table,
                                    options.unit, options.opens):
            print(said)
        return 0
    if options.pack_verb == "circuit":
        from dextrum.app.packmaking.circuits import lay_on_folder

        roles, pairs = (dict(one.partition("=")[::2] for one in told) for told in (options.role, options.pair))
        for said in lay_on_folder(options.folder, options.template, roles, pairs):
            print(said)
        return 0
    if options.pack_verb == "merge":
        from dextrum.app.packmaking.merge_packs import merge_folders

        for said in merge_folders(options.ours, options.theirs, options.out, frozenset(options.theirs_wins)):
            print(said)
        return 0
    if options.pack_verb == "export":
        from dextrum.app.packmaking.by_command import export_pack

        for said in export_pack(options.folder, options.out, options.over):
            print(said)
        return 0
    if options.pack_verb == "netlist":
        from dextrum.core.packmaking.from_files import test_points_of
        from dextrum.core.packmaking.shop_files.test_netlist import write_test_netlist

        board = load_pack(options.folder).board
        sys.stdout.write(write_test_netlist(test_points_of(board), board.pack_id))
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
    from dextrum.app.places import cache_folder

    result = advise(options.job, PackLibrary(options.packs, kept=cache_folder()), options.meter)
    if options.json:
        print(json.dumps(result, indent=1, ensure_ascii=False, allow_nan=False))
        return 0
    off = [v for v in result["verdicts"] if v["verdict"] not in ("within", "not_judged")]
    print(f"{result['serial']}: {len(off)} of {len(result['verdicts'])} readings are abnormal.")
    for verdict in off:
        print(f"  {verdict['point']} reads {verdict['value']} {verdict['unit']}: {verdict['verdict']}")
    for part in result["posterior"]["parts"][:6]:
        still = " (repaired; chance that something is wrong with it still)" if part["mended"] else ""
        print(f"  {part['probability']:6.1%} {part['words']}{still}")
    if any(part["mended"] for part in result["posterior"]["parts"]):
        print(f"  {result['posterior']['nothing_left']:6.1%} no harmful fault left")
    print(f"Next: {result['actions'][0]['title']}. {result['actions'][0]['why']}")
    return 0


MOST_SPREAD = 2.0
"""Of the logarithm: by then what takes an hour was said to take seven."""


def _measure(options: argparse.Namespace) -> int:
    """Forecasts and plans against the simulated world."""
    def told(done: int, of: int) -> None:
        if sys.stderr.isatty():
            print(f"\r{done} of {of}", end="" if done < of else "\n", file=sys.stderr)

    rows: list[dict[str, object]]
    count = options.jobs if options.measured == "outlook" else options.weeks
    if count < 1:
        raise DextrumError("There is nothing to measure.", "", "Ask for at least one.")
    if options.measured == "outlook":
        from dextrum.app.evaluation.case_files import world_named
        from dextrum.app.evaluation.outlooks import outlook_results
        from dextrum.app.library.library import PackLibrary
        from dextrum.app.places import cache_folder
        from dextrum.instruments.simulated_board import METER_M1

        model = PackLibrary(options.packs, kept=cache_folder()).advice_model(options.pack, METER_M1.name)
        rows = [result.as_json() for result in outlook_results(
            model, count, options.seed, told, world_named(options.world), max(0, options.whole))]
    else:
        from dextrum.app.evaluation.weeks import gap_to_exact, weeks_results
        from dextrum.world.shop_week import SAID_SPREAD

        spread = SAID_SPREAD if options.spread is None else options.spread
        if not 0.0 <= spread <= MOST_SPREAD:
            raise DextrumError(f"A spread of {spread:g} is none.", "Nothing was measured.",
                               f"Name one from 0 to {MOST_SPREAD:g}.")
        rows = [result.as_json() for result in weeks_results(count, options.seed, told, spread)]
        days, mean, worst = gap_to_exact(count, options.seed)
        rows.append({"policy": "plan beyond exact, small days", "days": days, "mean_minutes": mean,
                     "worst_minutes": worst})
    if options.json:
        print(json.dumps(rows, indent=1))
        return 0
    for row in rows:
        print("  ".join(f"{name} {value:.3g}" if isinstance(value, float) else f"{name} {value}"
                        for name, value in row.items()))
    return 0


def _evaluate(options: argparse.Namespace) -> int:
    from dextrum.app.evaluation.case_files import assumed_as_typed, check_cases, read_cases, world_named
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
    if options.each_rule and ("advice" not in players or options.rung):
        raise ImportRefusedError("What rules earn shows in what the advice plays on a whole pack.",
                                 "Nothing was played.", "Name the advice among the players, and no rung.")
    if min(options.cases, options.repeat) < 1 or options.seed < 0:
        raise ImportRefusedError("Cases and repeats are from 1 on, a seed from 0 on.", "Nothing was played.")
    if options.mismatch and (options.world != "default" or options.cases_file is not None):
        raise ImportRefusedError("--mismatch is of the world as modelled, and goes with no other world or cases.",
                                 "Nothing was played.", "Leave one of them out.")
    if options.world == "modelled" and options.cases_file is not None:
        raise ImportRefusedError("Cases of a file are played in a world of its own, not as modelled.",
                                 "Nothing was played.", "Name another world, or none.")
    assumed = assumed_as_typed(options.assume)
    pack, listed = (options.pack, ()) if options.cases_file is None else read_cases(options.cases_file)
    world = options.world if options.world in ("drawn", "modelled") else world_named(options.world)
    if listed:
        check_cases(PackLibrary(options.packs).board(pack), listed)
    if options.rung:
        if options.mismatch or options.cases_file is not None or isinstance(world, str) or options.without or assumed:
            raise ImportRefusedError("--rung goes with cases, seed, pack and one world.", "Nothing was played.",
                                     "Leave the others out.")
        if not 0.0 <= options.wrong_nets <= 0.5:
            raise ImportRefusedError("--wrong-nets is a share from 0 to 0.5.", "Nothing was played.")
        from dextrum.app.evaluation.rungs import RungSetting, evaluate_rung, rung_words

        rung = evaluate_rung(RungSetting(options.rung, options.cases, options.seed, world, options.wrong_nets,
                                          options.probed_anew),
                             pack, told, options.packs)
        print(json.dumps(rung.as_json(), indent=1, allow_nan=False) if options.json else rung_words(rung))
        return 0
    setting = Setting(options.cases, options.seed, options.mismatch, world, listed, options.repeat, players,
                      frozenset(options.without), assumed)
    found = evaluate(setting, pack, told, packs=options.packs)
    if options.each_rule:
        from dextrum.app.evaluation.rules_earn import with_rules_weighed

        found = with_rules_weighed(setting, found, pack, told, packs=options.packs)
    print(json.dumps(found.as_json(), indent=1, allow_nan=False) if options.json else evaluation_table(found))
    return 0


def _simbench(options: argparse.Namespace) -> int:
    from dextrum.app.bench.simbench import graded_as_it_lies, prepare_bench, read_state, serve_until_ended, served
    from dextrum.app.library.library import PackLibrary
    from dextrum.app.places import cache_folder

    library = PackLibrary(options.packs, kept=cache_folder())
    state = read_state(options.state)
    server = served(prepare_bench(library, options.pack, options.faults, options.seed, state), state)
    if options.headless:
        serve_until_ended(server, options.state, options.beside)
        return 0
    from dextrum.desktop.start import run_simbench

    return run_simbench(server, options.state, graded_as_it_lies(server, library), options.beside)


def _backup(options: argparse.Namespace) -> int:
    from datetime import UTC, datetime

    from dextrum.app.keeping.backups import keep_backup
    from dextrum.app.places import user_folder
    from dextrum.errors import StoreError
    from dextrum.store.jobs import JobStore

    place = (options.data or user_folder()) / "jobs.sqlite"
    if not place.is_file():
        raise StoreError(f"There is no bench in {place.parent.name}.", "Nothing was written.",
                         "Name its folder: --data.")
    store = JobStore(place)
    try:
        done = keep_backup(store, options.file, datetime.now(UTC), options.over)
    finally:
        store.close()
    print(f"{options.file.name} written and read back: {done.words}.")
    return 0


def _restore(options: argparse.Namespace) -> int:
    from dextrum.app.places import user_folder
    from dextrum.store.backup import restore

    folder = options.data or user_folder()
    done = restore(options.file, folder)
    print(f"Restored into {folder.name}: {done.words}, as of {done.at}.")
    return 0


def _window(options: argparse.Namespace) -> int:
    from dextrum.app.places import language_of, user_folder
    from dextrum.tongue import speak

    demo = options.verb == "demo"
    # Before any module with sentences is imported.
    speak(language_of(options.data or user_folder(demo)))
    # Imports make many objects and no garbage; the collector is let in again after the first advice.
    gc.disable()
    from dextrum.desktop.start import OPEN_ANEW, run_window

    status = run_window(demo=demo, data=options.data, offscreen=options.offscreen,
                        fresh=getattr(options, "fresh", False), files=tuple(getattr(options, "files", ())))
    if status == OPEN_ANEW:
        data = ["--data", str(options.data)] if options.data else []
        os.execv(sys.executable, [sys.executable, "-m", "dextrum", options.verb, *data,
                                  *(["--offscreen"] if options.offscreen else [])])
    return status


def main(arguments: list[str] | None = None) -> int:
    """Run one verb; 0 when it went well, 1 with three short sentences on the error output when not."""
    options = build_parser().parse_args(arguments)
    for name, value in ONE_THREAD.items():
        os.environ.setdefault(name, value)
    try:
        if options.verb == "pack":
            return _pack(options)
        if options.verb == "advise":
            return _advise(options)
        if options.verb in ("backup", "restore"):
            return _backup(options) if options.verb == "backup" else _restore(options)
        if options.verb == "simbench":
            return _simbench(options)
        if options.verb == "evaluate":
            return _evaluate(options)
        if options.verb == "measure":
            return _measure(options)
        if options.verb in ("man", "completion"):
            from dextrum.command_line import completion, man_page

            sys.stdout.write(man_page() if options.verb == "man" else completion(options.shell))
            return 0
        if options.verb == "install-desktop":
            from dextrum.app.desktop_entry import install, remove

            print("\n".join(remove() if options.remove else install()))
            return 0
        if options.verb == "bench":
            from dextrum.benchmarks.run import main as bench_main

            return bench_main(options.json, options.only)
        if options.verb == "shots":
            from dextrum.desktop.shots import render_shots

            return render_shots(options.folder, options.dark, options.scale, options.only, options.guide)
        return _window(options)
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
