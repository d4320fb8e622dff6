"""Supply current: which state of the model's draw profile a power meter shows."""
