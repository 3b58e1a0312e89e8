"""Settings, from the environment where a machine differs. The defaults serve a machine of one's own, on loopback
only."""

from __future__ import annotations

import os
import secrets
from datetime import timedelta
from pathlib import Path

from csp.constants import NONE, SELF, UNSAFE_INLINE

BASE = Path(__file__).resolve().parents[2]
VAR = Path(os.environ.get("TECTOGON_VAR", BASE / "var"))
"""Everything the running site writes outside of the database: all of it may be deleted."""


def _secret() -> str:
    """The signing key: from the environment, else one made once and kept."""
    if given := os.environ.get("TECTOGON_SECRET"):
        return given
    path = VAR / "secret"
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(secrets.token_urlsafe(50))
        path.chmod(0o600)
    return path.read_text()


SECRET_KEY = _secret()
DEBUG = os.environ.get("TECTOGON_DEBUG") == "1"
ALLOWED_HOSTS = os.environ.get("TECTOGON_HOSTS", "localhost,127.0.0.1,[::1]").split(",")

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "ninja",
    "procrastinate.contrib.django",
    "axes",
    "csp",
    "tectogon_server.accounts",
    "tectogon_server.parts",
    "tectogon_server.computing",
    "tectogon_server.api",
]

MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "csp.middleware.CSPMiddleware",
]

ROOT_URLCONF = "tectogon_server.urls"
ASGI_APPLICATION = "tectogon_server.asgi.application"
TEMPLATES: list[dict[str, object]] = []

POOLED = os.environ.get("TECTOGON_DB_POOL") == "1"
"""For the web process, whose threads come and go; opening a connection takes longer than most requests."""

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": os.environ.get("TECTOGON_DB_NAME", "tectogon"),
        "USER": os.environ.get("TECTOGON_DB_USER", "tectogon"),
        "PASSWORD": os.environ.get("TECTOGON_DB_PASSWORD", ""),
        "HOST": os.environ.get("TECTOGON_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("TECTOGON_DB_PORT", "5432"),
        "CONN_MAX_AGE": 0 if POOLED else 60,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {"pool": {"min_size": 1, "max_size": 16, "timeout": 10}} if POOLED else {},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
AXES_FAILURE_LIMIT = 10
AXES_COOLOFF_TIME = timedelta(minutes=15)
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_ENABLE_ACCESS_FAILURE_LOG = False
AXES_DISABLE_ACCESS_LOG = True
AXES_VERBOSE = False
SILENCED_SYSTEM_CHECKS = ["axes.W002"]  # who is locked out is told by the route of signing in, in its own words

AUTH_PASSWORD_VALIDATORS = [{"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"}]
PLAIN_HTTP = os.environ.get("TECTOGON_PLAIN_HTTP") == "1"
"""Set only where the site is reached over plain HTTP from other machines; a browser sends secure cookies to localhost
over plain HTTP too."""
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = not PLAIN_HTTP
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
X_FRAME_OPTIONS = "DENY"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "img-src": [SELF, "data:", "blob:"],
        "font-src": [SELF, "data:"],
        "style-src": [SELF, UNSAFE_INLINE],  # places and sizes are set on elements
        "worker-src": [SELF, "blob:"],
        "connect-src": [SELF],
        "object-src": [NONE],
        "base-uri": [NONE],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
    }
}

USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en"

WEB_DIST = BASE / "web" / "dist"
STATIC_URL = "/static/"
WHITENOISE_ROOT = WEB_DIST if WEB_DIST.is_dir() else None

MAX_UPLOAD_BYTES = int(os.environ.get("TECTOGON_MAX_UPLOAD", 160_000_000))
DATA_UPLOAD_MAX_MEMORY_SIZE = 20_000_000
FILE_UPLOAD_MAX_MEMORY_SIZE = 5_000_000

RESULTS = Path(os.environ.get("TECTOGON_RESULTS", VAR / "results"))
COMPUTE_SECONDS = float(os.environ.get("TECTOGON_COMPUTE_SECONDS", 180))
COMPUTE_MEMORY = int(os.environ.get("TECTOGON_COMPUTE_MEMORY", 5_000_000_000))
COMPUTE_CHILDREN = int(os.environ.get("TECTOGON_COMPUTE_CHILDREN", 4))
"""Processes that compute. One person has at most two fewer at work, one workshop one fewer, so that others never wait
for them."""
RESULTS_BUDGET = int(os.environ.get("TECTOGON_RESULTS_BUDGET", 4_000_000_000))
"""Bytes on disk for results; what was of no use for longest goes first."""
COMPUTATIONS_KEPT_DAYS = float(os.environ.get("TECTOGON_COMPUTATIONS_KEPT_DAYS", 3))
"""Rows of computations that ended are removed after so many days."""

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"plain": {"format": "%(asctime)s %(levelname)s %(name)s: %(message)s"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "plain"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}
