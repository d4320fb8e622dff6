"""The intake screen, and what is asked of danger."""
