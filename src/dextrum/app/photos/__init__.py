"""Photos of a job: where they come from, and what is said of them."""
