"""What is asked of PostgreSQL in its own words, as Django's ORM has none for it. All our own tables go through the
ORM."""

from __future__ import annotations

from django.db import connection


def notify(channel: str, payload: str) -> None:
    """Tell whoever listens, when the transaction commits. (The ORM knows no NOTIFY.)"""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [channel, payload])


def listening_to(channel: str) -> str:
    """The statement that listens to a channel, for a connection outside of Django. (The ORM knows no LISTEN.)"""
    return f"LISTEN {channel}"


def have_to_oneself(number: int) -> None:
    """A lock by number until the transaction is through. (The ORM locks rows; here there is none to lock.)"""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_advisory_xact_lock(%s)", [number])


def forget_used_tickets() -> None:
    """Jobs of the queue library that are done, or whose worker is gone. (Its models for Django are read-only.)"""
    with connection.cursor() as cursor:
        cursor.execute("DELETE FROM procrastinate_periodic_defers")
        cursor.execute(
            "DELETE FROM procrastinate_jobs j WHERE j.status NOT IN ('todo', 'doing') "
            "OR (j.status = 'doing' AND NOT EXISTS (SELECT 1 FROM procrastinate_workers w WHERE w.id = j.worker_id))"
        )
