"""Run the tests with unittest, warnings as errors, and end with one plain line of counts.

`--long` runs the random trails of the rules of safety only, and draws 10,000 for each pack: some hours on one core.
"""

from __future__ import annotations

import os
import sys
import unittest
import warnings
from pathlib import Path

LONG_TESTS, LONG_TRAILS = "test_safety.InvariantsTest", "10000"


def main(names: list[str]) -> int:
    if "--long" in names:
        names = [n for n in names if n != "--long"] or [LONG_TESTS]
        os.environ["DEXTRUM_RANDOM_TRAILS"] = LONG_TRAILS
    root = Path(__file__).resolve().parent.parent
    sys.path.insert(0, str(root))
    warnings.simplefilter("error")
    # PyPDF and pyqtgraph warn about their own imports on some versions; ours must be clean.
    warnings.filterwarnings("default", module=r"(pypdf|pyqtgraph|alembic|sqlalchemy)(\..*)?")
    loader = unittest.TestLoader()
    suite = loader.loadTestsFromNames([f"tests.{n}" if not n.startswith("tests.") else n for n in names]) \
        if names else loader.discover(str(root / "tests"), top_level_dir=str(root))
    result = unittest.TextTestRunner(verbosity=1, warnings=None).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed = result.testsRun - failed - len(result.skipped)
    print(f"{passed} passed, {failed} failed, {len(result.skipped)} skipped")
    return 0 if result.testsRun and not failed else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
