"""The shop's own ledger: what comes in, where it lies, what is set aside; never edited, only struck out."""
