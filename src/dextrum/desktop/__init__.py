"""The window. Knows everything below it; nothing below knows it."""
