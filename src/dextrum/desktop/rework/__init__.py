"""The rework screen."""
