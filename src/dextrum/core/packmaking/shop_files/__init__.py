"""Files that a shop may have of a board: a test netlist, a pick-and-place list, a bill of materials."""
