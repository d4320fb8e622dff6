"""The panel of suspects, reasons and the next step."""
