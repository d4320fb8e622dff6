"""Lots, donors and orders."""
