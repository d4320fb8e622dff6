"""The proof screen."""
