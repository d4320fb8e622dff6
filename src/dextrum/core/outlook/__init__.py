"""How a job will go on from here: minutes, parts and ends, as distributions."""
