"""Reading without hands: walk, connections, cues."""
