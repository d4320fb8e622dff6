"""Imports go downwards only, and the core knows no toolkit."""

from __future__ import annotations

import ast
import subprocess
import sys
import unittest
from functools import cache
from pathlib import Path
from typing import NamedTuple

import dextrum

ROOT = Path(dextrum.__file__).parent
EVERYWHERE = ("errors", "one_thread", "progress", "tongue")
LAYERS = ("core", "instruments", "world", "store", "app", "desktop", "benchmarks")
"""From the bottom up. A layer may import itself, those before it, and dextrum.errors."""
TOOLKITS = ("PySide6", "pyqtgraph", "shiboken6")


class Import(NamedTuple):
    """names: what is taken from the module; empty where the module itself is imported. typed: only the type checker
    sees it."""

    module: str
    names: tuple[str, ...]
    line: int
    typed: bool


@cache
def imports_in(file: Path) -> tuple[Import, ...]:
    """Every import of a file, those inside functions too."""
    tree = ast.parse(file.read_text(encoding="utf-8"))
    nodes = list(ast.walk(tree))
    typed = {inner.lineno for node in nodes if isinstance(node, ast.If) and "TYPE_CHECKING" in ast.dump(node.test)
             for body in node.body for inner in ast.walk(body) if isinstance(inner, ast.ImportFrom | ast.Import)}
    found = []
    for node in nodes:
        if isinstance(node, ast.Import):
            found += [Import(alias.name, (), node.lineno, node.lineno in typed) for alias in node.names]
        elif isinstance(node, ast.ImportFrom) and node.module is not None:
            assert node.level == 0, f"{file}: relative import"
            found.append(Import(node.module, tuple(alias.name for alias in node.names), node.lineno,
                                node.lineno in typed))
    return tuple(found)


def imports_of(file: Path) -> list[tuple[str, int]]:
    """Every imported module, and the line."""
    return [(one.module, one.line) for one in imports_in(file)]


def import_graph() -> dict[str, set[str]]:
    """Every module with those of the program that it imports when it runs, inside functions too."""
    modules = {".".join(file.relative_to(ROOT.parent).with_suffix("").parts).removesuffix(".__init__"): file
               for file in ROOT.rglob("*.py")}
    graph: dict[str, set[str]] = {}
    for name, file in modules.items():
        found = {whole if (whole := f"{one.module}.{taken}") in modules else one.module
                 for one in imports_in(file) if not one.typed for taken in one.names}
        graph[name] = {other for other in found if other in modules and other != name}
    return graph


class CycleTest(unittest.TestCase):
    def test_no_module_imports_itself_by_way_of_others(self) -> None:
        graph = import_graph()
        self.assertGreater(len(graph), 200)
        # What imports nothing that is left is taken away until nothing is left, or a cycle.
        left = dict(graph)
        while free := {name for name, others in left.items() if not others & left.keys()}:
            left = {name: others for name, others in left.items() if name not in free}
        self.assertEqual(sorted(left), [])


class LayerTest(unittest.TestCase):
    def test_imports_go_downwards_only(self) -> None:
        wrong = []
        for layer in LAYERS:
            allowed = LAYERS[:LAYERS.index(layer) + 1]
            for file in sorted((ROOT / layer).rglob("*.py")):
                for module, line in imports_of(file):
                    parts = module.split(".")
                    if parts[0] == "dextrum" and len(parts) > 1 and parts[1] not in (*EVERYWHERE, *allowed):
                        wrong.append(f"{file.relative_to(ROOT)}:{line} imports {module}")
        self.assertEqual(wrong, [])

    def test_only_the_desktop_knows_the_toolkit(self) -> None:
        wrong = [f"{file.relative_to(ROOT)}:{line} imports {module}"
                 for layer in LAYERS if layer not in ("desktop", "benchmarks")
                 for file in sorted((ROOT / layer).rglob("*.py"))
                 for module, line in imports_of(file) if module.split(".")[0] in TOOLKITS]
        self.assertEqual(wrong, [])

    def test_core_has_no_files_clock_or_databases(self) -> None:
        forbidden = {"pathlib", "os", "time", "sqlite3", "sqlalchemy", "pydantic", "random", "socket", "io"}
        wrong = [f"{file.relative_to(ROOT)}:{line} imports {module}"
                 for file in sorted((ROOT / "core").rglob("*.py"))
                 for module, line in imports_of(file) if module.split(".")[0] in forbidden]
        self.assertEqual(wrong, [])

    def test_slow_libraries_are_not_imported_at_start(self) -> None:
        code = ("import sys; import dextrum.desktop.start, dextrum.app.job.session, dextrum.store.jobs;"
                "import dextrum.desktop.frame.window;"
                "print([m for m in ('scipy.stats', 'scipy.signal', 'scipy.optimize', 'scipy.special',"
                " 'pyqtgraph', 'alembic', 'jinja2', 'sqlalchemy.dialects.postgresql') if m in sys.modules])")
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(done.stdout.strip(), "[]")

    def test_core_tests_pass_with_the_toolkit_blocked(self) -> None:
        code = ("import sys\n"
                "class Block:\n"
                "    def find_spec(self, name, path=None, target=None):\n"
                "        if name.split('.')[0] in ('PySide6', 'pyqtgraph', 'shiboken6'):\n"
                "            raise ImportError(name + ' is blocked')\n"
                "sys.meta_path.insert(0, Block())\n"
                "import unittest\n"
                "suite = unittest.defaultTestLoader.loadTestsFromNames(\n"
                "    ['tests.test_circuit', 'tests.test_draw_trail_job', 'tests.test_reference.JudgeTest'])\n"
                "result = unittest.TextTestRunner().run(suite)\n"
                "assert result.testsRun > 30\n"
                "sys.exit(not result.wasSuccessful())\n")
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, cwd=ROOT.parent.parent)
        self.assertEqual(done.returncode, 0, done.stderr[-2000:])

    def test_no_file_has_grown_into_two(self) -> None:
        long = [f"{f.relative_to(ROOT)}: {n}" for f in ROOT.rglob("*.py")
                if (n := len(f.read_text().splitlines())) > 500]
        self.assertEqual(long, [])
