"""What a site must be told before it serves others: it does not start on defaults made for one's own machine."""

from __future__ import annotations

from collections.abc import Mapping

_SECRET_LENGTH = 50
_OWN_MACHINE = {"localhost", "127.0.0.1", "[::1]", "*", ""}


def is_production(env: Mapping[str, str]) -> bool:
    return env.get("TECTOGON_MODE", "") == "production"


def lacks(env: Mapping[str, str]) -> list[str]:
    """Why a site with this environment must not start in production, each in a sentence; empty where it may."""
    out = []
    if len(env.get("TECTOGON_SECRET", "")) < _SECRET_LENGTH:
        out.append(
            f"TECTOGON_SECRET must be a random text of {_SECRET_LENGTH} signs or more, the same on every machine."
        )
    hosts = {h.strip() for h in env.get("TECTOGON_HOSTS", "").split(",")}
    if not hosts - _OWN_MACHINE or "*" in hosts:
        out.append("TECTOGON_HOSTS must name the hosts that the site is reached by, such as tectogon.example.com.")
    origin = env.get("TECTOGON_ORIGIN", "")
    if not origin.startswith("https://"):
        out.append("TECTOGON_ORIGIN must be the address that people type, beginning with https://.")
    if not env.get("TECTOGON_DB_PASSWORD"):
        out.append("TECTOGON_DB_PASSWORD must be the password of the database.")
    if env.get("TECTOGON_DEBUG") == "1":
        out.append("TECTOGON_DEBUG must not be set: it shows strangers what is inside.")
    if env.get("TECTOGON_PLAIN_HTTP") == "1":
        out.append("TECTOGON_PLAIN_HTTP must not be set: sessions would travel unencrypted.")
    if not env.get("TECTOGON_MAIL_HOST") and not env.get("TECTOGON_MAIL_FOLDER"):
        out.append(
            "TECTOGON_MAIL_HOST must name the mail server, or TECTOGON_MAIL_FOLDER a folder that mail is put in."
        )
    return out
