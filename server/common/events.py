"""What changed, told to open pages through PostgreSQL NOTIFY, at commit."""

import json

from django.db import connection, transaction

CHANNEL = "reed_live"


def tell(site_id: int, *topics: str) -> None:
    """Tell open pages of a site that topics changed: readings, watering, places, calibration, notes, clock, jobs.

    NOTIFY is transactional: nothing is sent unless the surrounding write commits.
    """
    payload = json.dumps({"site": site_id, "topics": sorted(set(topics))})
    with transaction.atomic(), connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [CHANNEL, payload])
