"""What the job in hand costs and brings, the month, and lots of units."""
