"""What a job costs, what to ask for it, and what a unit or a lot of units is worth."""
