"""The supply screen: look, gear, typed draws, live and imported traces."""
