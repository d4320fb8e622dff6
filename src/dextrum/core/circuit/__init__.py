"""What a meter reads at a point of the unpowered board, given faults."""
