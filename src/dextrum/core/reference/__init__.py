"""What known-good boards read, and how far a reading is from it."""
