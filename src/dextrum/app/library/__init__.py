"""Packs, known-good boards, meters, and what closed jobs have taught."""
