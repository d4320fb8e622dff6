"""What must be tried before a unit goes back, and how often."""
