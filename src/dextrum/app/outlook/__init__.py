"""How long a job will still take, what it will need, and how it will end."""
