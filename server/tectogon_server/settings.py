"""Settings, from the environment where a machine differs. The defaults serve a machine of one's own, on loopback
only."""

from __future__ import annotations

import os
import secrets
from datetime import timedelta
from ipaddress import ip_network
from pathlib import Path

from csp.constants import NONCE, NONE, SELF
from django.core.exceptions import ImproperlyConfigured

from tectogon_server.operating.production import is_production, lacks

BASE = Path(__file__).resolve().parents[2]
VAR = Path(os.environ.get("TECTOGON_VAR", BASE / "var"))
"""Everything the running site writes outside of the database: all of it may be deleted."""


PRODUCTION = is_production(os.environ)
"""Set where others are served: then nothing has a default that must not have one (see docs/OPERATE.md)."""
if PRODUCTION and (problems := lacks(os.environ)):
    raise ImproperlyConfigured("This site does not start: " + " ".join(problems))


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
SECRET_KEY_FALLBACKS = [s for s in os.environ.get("TECTOGON_OLD_SECRETS", "").split(",") if s]
DEBUG = os.environ.get("TECTOGON_DEBUG") == "1"
ALLOWED_HOSTS = os.environ.get("TECTOGON_HOSTS", "localhost,127.0.0.1,[::1]").split(",")
if PRODUCTION:
    ALLOWED_HOSTS.append("127.0.0.1")  # whoever watches on the machine itself asks by this name

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "ninja",
    "procrastinate.contrib.django",
    "axes",
    "csp",
    "django_otp",
    "django_otp.plugins.otp_totp",
    "tectogon_server.accounts",
    "tectogon_server.parts",
    "tectogon_server.computing",
    "tectogon_server.api",
]

MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.locale.LocaleMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "csp.middleware.CSPMiddleware",
    "tectogon_server.operating.headers.headers",
]

ROOT_URLCONF = "tectogon_server.urls"
ASGI_APPLICATION = "tectogon_server.asgi.application"
TEMPLATES: list[dict[str, object]] = []

WEB_THREADS = int(os.environ.get("TECTOGON_WEB_THREADS", 4))
"""So many requests are answered at once, each thread with a connection to the database."""

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": os.environ.get("TECTOGON_DB_NAME", "tectogon"),
        "USER": os.environ.get("TECTOGON_DB_USER", "tectogon"),
        "PASSWORD": os.environ.get("TECTOGON_DB_PASSWORD", ""),
        "HOST": os.environ.get("TECTOGON_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("TECTOGON_DB_PORT", "5432"),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

SESSION_ENGINE = "tectogon_server.accounts.signed_in"
AUTHENTICATION_BACKENDS = [
    "axes.backends.AxesStandaloneBackend",
    "tectogon_server.accounts.signed_in.Members",
    "django.contrib.auth.backends.ModelBackend",
]
AXES_CLIENT_IP_CALLABLE = "tectogon_server.operating.addresses.address_of"
AXES_FAILURE_LIMIT = 10
AXES_COOLOFF_TIME = timedelta(minutes=15)
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_ENABLE_ACCESS_FAILURE_LOG = False
AXES_DISABLE_ACCESS_LOG = True
AXES_VERBOSE = False
SILENCED_SYSTEM_CHECKS = ["axes.W002"]  # who is locked out is told by the route of signing in, in its own words

PASSWORD_HASHERS = [
    "django.contrib.auth.hashers.Argon2PasswordHasher",
    "django.contrib.auth.hashers.PBKDF2PasswordHasher",  # of before: taken over at the next signing in
]
_RULES = "django.contrib.auth.password_validation"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"{_RULES}.MinimumLengthValidator", "OPTIONS": {"min_length": 12 if PRODUCTION else 8}},
    {"NAME": f"{_RULES}.UserAttributeSimilarityValidator"},
    {"NAME": f"{_RULES}.CommonPasswordValidator"},
]
"""Length, no name of one's own, nothing that everybody takes (ASVS 2.1)."""
PLAIN_HTTP = os.environ.get("TECTOGON_PLAIN_HTTP") == "1"
"""Set only where the site is reached over plain HTTP from other machines; a browser sends secure cookies to localhost
over plain HTTP too."""
BEHIND_PROXY = os.environ.get("TECTOGON_BEHIND_PROXY", "1" if PRODUCTION else "0") == "1"
"""Whether a proxy of one's own stands in front, ends TLS and writes down where requests come from."""
PROXIES = tuple(ip_network(one.strip()) for one in os.environ.get("TECTOGON_PROXIES", "127.0.0.0/8,::1").split(","))
"""Addresses of one's own proxies: only what these say of where a request comes from is believed."""
if BEHIND_PROXY:
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
ORIGIN = os.environ.get("TECTOGON_ORIGIN", "")
"""The address that people type; links in mails begin with it."""
CSRF_TRUSTED_ORIGINS = [ORIGIN] if ORIGIN else []
if PRODUCTION:
    SECURE_HSTS_SECONDS = 365 * 24 * 3600
    SECURE_SSL_REDIRECT = True
    SECURE_REDIRECT_EXEMPT = [r"^api/health$", r"^api/ready$", r"^metrics$"]
SESSION_COOKIE_AGE = 14 * 24 * 3600
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
        "style-src": [SELF, NONCE],
        "worker-src": [SELF, "blob:"],
        "connect-src": [SELF],
        "object-src": [NONE],
        "base-uri": [NONE],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
    }
}
PERMISSIONS_POLICY = "camera=(), display-capture=(), geolocation=(), microphone=(), payment=(), usb=()"
"""What no page of the site asks a browser for."""

USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en"
LANGUAGES = [("en", "English"), ("de", "Deutsch")]

WEB_DIST = BASE / "web" / "dist"
STATIC_URL = "/static/"
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/assets/.+-[A-Za-z0-9_-]{8,}\.[a-z0-9]+$"
"""Built files with a hash in their name never change: browsers keep them."""
WHITENOISE_ROOT = WEB_DIST if WEB_DIST.is_dir() else None

MAX_UPLOAD_BYTES = int(os.environ.get("TECTOGON_MAX_UPLOAD", 160_000_000))
WORKSHOP_BYTES = int(os.environ.get("TECTOGON_WORKSHOP_BYTES", 20_000_000_000))
"""What the files of one workshop may take."""
DATA_UPLOAD_MAX_MEMORY_SIZE = 20_000_000
FILE_UPLOAD_MAX_MEMORY_SIZE = 5_000_000

RESULTS = Path(os.environ.get("TECTOGON_RESULTS", VAR / "results"))
COMPUTE_SECONDS = float(os.environ.get("TECTOGON_COMPUTE_SECONDS", 180))
COMPUTE_MEMORY = int(os.environ.get("TECTOGON_COMPUTE_MEMORY", 5_000_000_000))
COMPUTE_CHILDREN = int(os.environ.get("TECTOGON_COMPUTE_CHILDREN", 4))
"""Processes that compute. One person has at most two fewer at work, one workshop one fewer, so that others never wait
for them."""
WORKERS = int(os.environ.get("TECTOGON_WORKERS", 1))
"""Workers that share the processes above; each has its part of them."""
CHILDREN_HERE = max(1, COMPUTE_CHILDREN // WORKERS)
RESULTS_BUDGET = int(os.environ.get("TECTOGON_RESULTS_BUDGET", 4_000_000_000))
"""Bytes on disk for results; what was of no use for longest goes first."""
LEAST_ROOM = int(os.environ.get("TECTOGON_LEAST_ROOM", 300_000_000))
"""Bytes that are left free on the disk for results: with less the site says that it is not ready."""
RESULTS_APART = os.environ.get("TECTOGON_RESULTS_APART") == "1"
"""Set where web and worker stand on different machines: results then go through the database."""
METRICS_TOKEN = os.environ.get("TECTOGON_METRICS_TOKEN", "")
COMPUTATIONS_KEPT_DAYS = float(os.environ.get("TECTOGON_COMPUTATIONS_KEPT_DAYS", 3))
"""Rows of computations that ended are removed after so many days."""

EMAIL_HOST = os.environ.get("TECTOGON_MAIL_HOST", "")
EMAIL_PORT = int(os.environ.get("TECTOGON_MAIL_PORT", 587))
EMAIL_HOST_USER = os.environ.get("TECTOGON_MAIL_USER", "")
EMAIL_HOST_PASSWORD = os.environ.get("TECTOGON_MAIL_PASSWORD", "")
EMAIL_USE_TLS = os.environ.get("TECTOGON_MAIL_TLS", "1") == "1"
EMAIL_TIMEOUT = 10
EMAIL_FILE_PATH = os.environ.get("TECTOGON_MAIL_FOLDER", str(VAR / "mail"))
EMAIL_BACKEND = f"django.core.mail.backends.{'smtp' if EMAIL_HOST else 'filebased'}.EmailBackend"
DEFAULT_FROM_EMAIL = os.environ.get("TECTOGON_MAIL_FROM", "Tectogon <tectogon@localhost>")
PASSWORD_RESET_TIMEOUT = 3600

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "filters": {"request": {"()": "tectogon_server.operating.observed.RequestNumber"}},
    "formatters": {
        "plain": {"format": "%(asctime)s %(levelname)s %(name)s: %(message)s"},
        "json": {
            "()": "pythonjsonlogger.json.JsonFormatter",
            "fmt": "%(asctime)s %(levelname)s %(name)s %(message)s %(request)s",
        },
    },
    "handlers": {
        "console": {
            "class": "logging.StreamHandler",
            "formatter": "json" if os.environ.get("TECTOGON_LOG", "json" if PRODUCTION else "") == "json" else "plain",
            "filters": ["request"],
        }
    },
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {
        "tectogon.requests": {"level": "INFO" if PRODUCTION else "WARNING"},
        "django.security.DisallowedHost": {"level": "CRITICAL"},  # scanners of the whole net
    },
}
