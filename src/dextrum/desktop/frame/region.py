"""How the user's region writes days and times, as Qt knows it (CLDR)."""

from __future__ import annotations

from PySide6.QtCore import QLocale

from dextrum.core.when import DateForm


def form_of_region(name: str = "") -> DateForm:
    """name: such as en_US; empty for the user's own. The order of day and month, and whether the clock has twelve
    hours."""
    locale = QLocale(name) if name else QLocale.system()
    day = locale.dateFormat(QLocale.FormatType.ShortFormat)
    clock = locale.timeFormat(QLocale.FormatType.ShortFormat)
    first_day, first_month = day.find("d"), day.find("M")
    return DateForm(month_first=0 <= first_month < first_day and not day.startswith("y"), twelve_hours="ap" in
                    clock.lower())
