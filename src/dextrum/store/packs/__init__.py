"""Board packs as folders or zips of JSON and CSV; see docs/pack-format.md."""

from dextrum.store.packs.pack_files import Pack, load_pack
from dextrum.store.schemas import pack_schema

__all__ = ["Pack", "load_pack", "pack_schema"]
