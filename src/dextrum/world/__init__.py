"""A world that units come from: it owns its numbers, and knows nothing of the judgement that is tried on it."""
