"""Recipes: the shipped are sound, a shop's own stand in their place, a broken one names its line; plans of them."""

from __future__ import annotations

import random
import tempfile
import unittest
from itertools import pairwise
from pathlib import Path

from dextrum.app.job.trail_words import DONE
from dextrum.app.places import shipped
from dextrum.app.rework.heat_answer import Protection, heat_words, parts_at_risk, risk_words, tender_near
from dextrum.app.rework.heating import COARSE_MM, floats_at, heating, own_strength, strength_from_run
from dextrum.app.rework.recipes import RecipeBook, kind_of_part, make_usual, usual_recipe
from dextrum.core.rework.isotherms import isotherms
from dextrum.core.rework.plan import ordered, saving_words, steps_of
from dextrum.core.rework.recipe import CAUTIONS, PHASES, TOOLS, tool_words
from dextrum.errors import DextrumError
from dextrum.store.jobs import JobStore
from dextrum.store.recipes import load_recipe
from dextrum.store.toml_file import TomlFileError
from dextrum.tongue import words_of
from tests.support import duo_board

SMALL = (shipped() / "recipes" / "small-part.toml").read_text(encoding="utf-8")


class ShippedTest(unittest.TestCase):
    def test_all_can_be_used_and_every_repair_of_the_board_has_one(self) -> None:
        book, board = RecipeBook(), duo_board()
        self.assertEqual(book.troubles, ())
        self.assertGreaterEqual(len(book.recipes), 18)
        for component in board.components:
            self.assertTrue(book.for_part(board, component.designator, "replace"), component.designator)
            self.assertTrue(book.for_part(board, component.designator, "reflow"), component.designator)
        for trace in board.traces:
            self.assertTrue(book.for_part(board, f"trace {trace.id}", "wire"), trace.id)

    def test_heat_is_never_without_its_cautions_nor_a_port_without_measuring(self) -> None:
        for recipe in RecipeBook().recipes.values():
            for step in recipe.step:
                if step.is_hot:
                    self.assertIn("heat", step.cautions, (recipe.id, step.words))
            if recipe.action in ("replace", "retrofit") and recipe.heat > 0:
                phases = [step.phase for step in recipe.step]
                self.assertEqual(phases[-1] in ("measure",), True, recipe.id)
                self.assertIn("cell", {caution for step in recipe.step for caution in step.cautions}, recipe.id)
                self.assertLess(phases.index("remove"), phases.index("fit"), recipe.id)

    def test_bismuth_is_braided_off_before_leaded_solder_goes_on(self) -> None:
        recipe = RecipeBook().recipes["port-low-melting"]
        words = [step.words for step in recipe.step]
        braided = next(k for k, text in enumerate(words) if "Braid off all of the low-melting alloy" in text)
        tinned = next(k for k, text in enumerate(words) if text.startswith("Tin pads and tails"))
        self.assertLess(braided, tinned)

    def test_tools_are_said_as_ranges(self) -> None:
        recipe = RecipeBook().recipes["port-leaded"]
        self.assertIn("hot air 360–460 °C, flow 50–100 %, nozzle 8–12 mm", [tool_words(step) for step in recipe.step])

    def test_what_stands_over_a_step_as_it_is_led_is_said_in_the_words_of_the_window(self) -> None:
        known = set(words_of("de")[0])
        for word in (*PHASES.values(), *(tool[0] for tool in TOOLS.values()), *DONE.values(), *CAUTIONS.values()):
            self.assertIn(word, known)


class HeatingTest(unittest.TestCase):
    def test_the_port_floats_and_what_softens_beside_it_is_named(self) -> None:
        board, book = duo_board(), RecipeBook()
        plate = heating(board, "J1", book.recipes["port-plate"], COARSE_MM)
        bare = heating(board, "J1", book.recipes["port-leaded"], COARSE_MM)
        self.assertTrue(0.0 < bare.least_seconds <= bare.seconds <= bare.most_seconds)
        self.assertGreater(plate.hottest, 180.0)
        self.assertIn("C2", bare.softened)
        self.assertNotIn("U7", bare.softened)
        for answer in (plate, bare):
            self.assertIn("not a thermometer", heat_words(answer))
            self.assertIn("J1", heat_words(answer))

    def test_what_is_at_risk_grows_with_time_and_a_plate_brings_it_sooner(self) -> None:
        board, book = duo_board(), RecipeBook()
        bare = heating(board, "J1", book.recipes["port-leaded"], COARSE_MM)
        growing = [{risk.part for risk in parts_at_risk(board, bare, seconds)} for seconds in (0.0, 20.0, 60.0, 180.0)]
        self.assertEqual(growing[0], set())
        for earlier, later in pairwise(growing):
            self.assertLessEqual(earlier, later)
        self.assertNotIn("J1", growing[-1])
        self.assertIn("Nothing beside it at risk yet.", risk_words(board, bare, 0.0))
        warmed = heating(board, "J1", book.recipes["port-leaded"], COARSE_MM, protection=Protection(warmed_first=True))
        self.assertLess(warmed.seconds, bare.seconds)
        self.assertIn("With the board warmed first by a heater of 150 °C below.", heat_words(warmed))

    def test_a_shield_keeps_what_is_under_it_cooler(self) -> None:
        board, recipe = duo_board(), RecipeBook().recipes["chip-solder-kept"]
        port = board.component_by_designator["J1"]
        self.assertEqual(tender_near(board, board.component_by_designator["U1"]), (port,))
        self.assertEqual(tender_near(board, port), ())
        bare, shielded = (heating(board, "U1", recipe, COARSE_MM, protection=Protection(shields=on))
                          for on in (False, True))
        for seconds in (20.0, 40.0, 60.0):
            self.assertLess(shielded.celsius_at((port,), seconds)["J1"],
                            bare.celsius_at((port,), seconds)["J1"] - 5.0)
        self.assertIn("With shields over what is tender.", heat_words(shielded))

    def test_a_run_with_a_thermocouple_finds_the_strength_it_was_made_with(self) -> None:
        board, recipe = duo_board(), RecipeBook().recipes["port-leaded"]
        port = board.component_by_designator["J1"]
        for share in (0.35, 0.8):
            made = heating(board, "J1", recipe, COARSE_MM, strength=own_strength(share))
            for seconds in (20.0, 40.0):
                read = made.celsius_at((port,), seconds)["J1"]
                self.assertAlmostEqual(strength_from_run(board, "J1", recipe, seconds, read), share, delta=0.01)
        known, unknown = heating(board, "J1", recipe, COARSE_MM, strength=own_strength(0.6)), heating(
            board, "J1", recipe, COARSE_MM)
        self.assertEqual(known.seconds, unknown.seconds)
        self.assertGreater(known.least_seconds, unknown.least_seconds)
        self.assertLess(known.most_seconds, unknown.most_seconds)
        for seconds, celsius in ((20.0, 2000.0), (20.0, 22.0), (1.0, 100.0), (500.0, 100.0), (20.0, float("nan"))):
            with self.assertRaises(DextrumError):
                strength_from_run(board, "J1", recipe, seconds, celsius)

    def test_lines_of_equal_temperature_lie_where_the_board_has_it(self) -> None:
        board = duo_board()
        warming = heating(board, "J1", RecipeBook().recipes["port-leaded"], COARSE_MM).warming
        assert warming is not None
        last = warming.celsius[-1]
        found = isotherms(warming.grid, last, (60.0, 183.0, 900.0))
        self.assertEqual(found[900.0], ())
        self.assertTrue(found[183.0])
        for line in found[183.0]:
            near = [last[warming.grid.cell_at(float(x), float(y))] for x, y in line]
            self.assertLess(max(abs(celsius - 183.0) for celsius in near), 25.0)

    def test_a_small_part_takes_its_near_neighbours_and_not_the_far(self) -> None:
        board, book = duo_board(), RecipeBook()
        answer = heating(board, "FL5", book.recipes["small-part"], COARSE_MM)
        near = set(answer.softened)
        place = board.component_by_designator["FL5"]
        for name in near:
            part = board.component_by_designator[name]
            self.assertLess(((part.x_mm - place.x_mm) ** 2 + (part.y_mm - place.y_mm) ** 2) ** 0.5, 15.0, name)

    def test_low_melting_alloy_floats_lower(self) -> None:
        book = RecipeBook()
        low, lead, none = (floats_at(book.recipes[name]) for name in ("port-low-melting", "port-leaded", "small-part"))
        self.assertTrue(low < lead < none, (low, lead, none))

    def test_what_the_pack_does_not_know_is_said(self) -> None:
        book = RecipeBook()
        for part, recipe in (("nobody", "port-leaded"), ("J1", "thermal-paste")):
            with self.assertRaises(DextrumError):
                heating(duo_board(), part, book.recipes[recipe], COARSE_MM)

    def test_the_example_in_the_docs_is_a_recipe(self) -> None:
        page = (shipped().parents[2] / "docs" / "recipe-format.md").read_text(encoding="utf-8")
        example = page.partition("```toml\n")[2].partition("```")[0]
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder) / "example.toml"
            place.write_text(example, encoding="utf-8")
            self.assertEqual(load_recipe(place).version, "ours 2")


class FileTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def written(self, text: str, name: str = "own.toml") -> Path:
        place = self.folder / name
        place.write_text(text, encoding="utf-8")
        return place

    def test_a_broken_one_names_its_line_and_what_was_expected(self) -> None:
        lines = SMALL.splitlines()
        minutes = next(n for n, line in enumerate(lines) if line.startswith("minutes") and n > 30)
        phase = [n for n, line in enumerate(lines) if line.startswith("phase")][3]
        kinds = next(n for n, line in enumerate(lines) if line.startswith("kinds"))
        for number, instead, words in (
                (minutes, 'minutes = "soon"', "number"), (phase, 'phase = "boil"', "expected one of prepare"),
                (minutes, "minutes = -3", "minutes"), (phase, "phase = ", "TOML"), (minutes, "hours = 3", "hours"),
                (kinds, 'kinds = ["capacitors"]', "expected one of receptacle")):
            broken = [*lines]
            broken[number] = instead
            with self.subTest(instead), self.assertRaises(TomlFileError) as refused:
                load_recipe(self.written("\n".join(broken)))
            self.assertAlmostEqual(refused.exception.line, number + 1, delta=3 if "phase" in instead else 1)
            self.assertIn(words, refused.exception.happened)

    def test_a_shops_own_stands_in_the_place_of_the_shipped_and_a_broken_one_does_not(self) -> None:
        self.written(SMALL.replace('version = "1"', 'version = "ours 2"'))
        self.assertEqual(RecipeBook(self.folder).recipes["small-part"].version, "ours 2")
        self.written(SMALL.replace("heat = 1.0", "heat = 99.0"))
        book = RecipeBook(self.folder)
        self.assertEqual(book.recipes["small-part"].version, "1")
        self.assertIn("own.toml, line", book.troubles[0])

    def test_no_file_ends_otherwise_than_in_a_recipe_or_words(self) -> None:
        draw = random.Random(9)
        data = SMALL.encode("utf-8")
        for _ in range(400):
            changed = bytearray(data)
            for _ in range(draw.randrange(1, 6)):
                changed[draw.randrange(len(changed))] = draw.randrange(256)
            place = self.folder / "fuzzed.toml"
            place.write_bytes(bytes(changed))
            try:
                recipe = load_recipe(place)
                self.assertTrue(all(step.phase in PHASES for step in recipe.step))
            except DextrumError as problem:
                self.assertTrue(problem.happened)

    def test_the_usual_recipe_is_kept(self) -> None:
        store = JobStore(self.folder / "jobs.sqlite")
        self.addCleanup(store.close)
        board = duo_board()
        found = RecipeBook().for_part(board, "J1", "replace")
        self.assertGreaterEqual(len(found), 5)
        chosen = found[-1]
        make_usual(store, chosen, kind_of_part(board, "J1"))
        again = usual_recipe(store, found, "receptacle", "replace")
        self.assertEqual(again, chosen)
        self.assertIsNone(usual_recipe(store, (), "x", "replace"))


class PlanTest(unittest.TestCase):
    def setUp(self) -> None:
        self.board, self.book = duo_board(), RecipeBook()

    def test_the_port_comes_before_the_filter_beside_it_and_preparation_is_done_once(self) -> None:
        small, port = self.book.recipes["small-part"], self.book.recipes["port-leaded"]
        best, cost, typed = ordered(self.board, [("FL5", small), ("J1", port)])
        self.assertEqual([part for part, _ in best], ["J1", "FL5"])
        self.assertLess(cost.weight, typed.weight)
        self.assertTrue(saving_words(cost, typed).startswith("This order: "))
        self.assertEqual(saving_words(cost, cost), "")
        steps = steps_of(best)
        clamps = [step for step in steps if step.words.startswith("Clamp the board")]
        self.assertEqual(len(clamps), 1)
        self.assertEqual([step.part for step in steps if step.last_of_part], ["J1", "FL5"])
        self.assertTrue(all("{part}" not in step.words for step in steps))
        self.assertEqual(len({step.key for step in steps}), len(steps))

    def test_a_part_the_pack_does_not_place_is_planned_too(self) -> None:
        best, _, _ = ordered(self.board, [("cell", self.book.recipes["cell"])])
        self.assertEqual([part for part, _ in best], ["cell"])
        self.assertTrue(steps_of(best))

    def test_every_caution_named_is_known(self) -> None:
        for recipe in self.book.recipes.values():
            for step in recipe.step:
                self.assertLessEqual(set(step.cautions), set(CAUTIONS))


if __name__ == "__main__":
    unittest.main()
