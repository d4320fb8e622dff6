"""What a job costs and brings, what to ask for it, and what a lot of units is worth."""
