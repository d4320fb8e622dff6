"""The board screen: plan, points, loads taken off, looking over."""
