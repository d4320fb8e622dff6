"""Whole jobs played on the simulated board, from complaint to proof, by several players: how good is the advice."""
