"""The pack of the model in hand, and how it grows."""
