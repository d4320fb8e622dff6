"""Opening a unit and closing it again, fastener by fastener."""
