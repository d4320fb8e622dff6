"""From a trail to suspects, reasons and the next step, and their words."""
