"""Readings: judged, typed, compared, captured by hand, summed up in a sentence."""
