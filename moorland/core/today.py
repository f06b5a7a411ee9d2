"""The day it is."""

import datetime
import zoneinfo


def today_in(time_zone: str) -> datetime.date:
    """Today in a time zone; UTC where the name is not known (4.9)."""
    try:
        return datetime.datetime.now(zoneinfo.ZoneInfo(time_zone)).date()
    except (zoneinfo.ZoneInfoNotFoundError, ValueError):
        return datetime.datetime.now(datetime.UTC).date()
