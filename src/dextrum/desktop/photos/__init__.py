"""Photos of the unit: taken in, looked at large, marked, laid beside and over one another."""
