"""What lasts: packs on disk, the job database, import and export."""
