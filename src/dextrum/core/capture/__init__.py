"""Listening to a meter while both hands hold probes. Time is handed in; nothing here has a clock or a wire."""
