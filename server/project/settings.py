"""Settings, by environment variables only (docs/running.md lists them). Without a secret nothing starts.

``NEEDLE_LOCAL=1`` is for one machine: a secret is made once and kept in the data folder. Without any other variable
everything is in one folder: an SQLite database, the live channel in the server's memory. ``NEEDLE_DATABASE_URL`` and
``NEEDLE_REDIS_URL`` are for several servers behind one address.
"""

import os
import sys
from ipaddress import ip_network
from pathlib import Path

import environ
from csp.constants import NONCE, NONE, SELF
from django.core.exceptions import ImproperlyConfigured
from django.core.management.utils import get_random_secret_key

from server.project.headers import with_own_resources
from server.project.logs import logging_settings

env = environ.Env()
BASE_DIR = Path(__file__).resolve().parent.parent.parent
TESTING = "test" in sys.argv[1:2]
LOCAL = env.bool("NEEDLE_LOCAL", False) or TESTING
DATA_DIR = Path(env.str("NEEDLE_DATA", str(BASE_DIR / "data"))).resolve()
DEMO = env.bool("NEEDLE_DEMO", False)
if DEMO and not LOCAL:
    raise ImproperlyConfigured("NEEDLE_DEMO: the demo has passwords that everybody knows. It needs NEEDLE_LOCAL=1.")
WEB_DIST = BASE_DIR / "web" / "dist"


def _cores() -> int:
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


DATABASE_URL = env.str("NEEDLE_DATABASE_URL", "")
REDIS_URL = env.str("NEEDLE_REDIS_URL", "")
TASKS_IN_REDIS = env.str("NEEDLE_TASKS", "") == "redis"
SHARED = bool(DATABASE_URL or REDIS_URL)
"""Whether other servers may be at work on the same data."""
OWN_WORKER = not TESTING and not TASKS_IN_REDIS and env.bool("NEEDLE_OWN_WORKER", not SHARED)
WORKERS = 0 if TESTING else env.int("NEEDLE_WORKERS", _cores())
"""Processes that render (``server.common.pool``); 0: all is done in the server's own."""
WORKER_MEMORY = env.int("NEEDLE_WORKER_MEMORY", 4096) << 20
"""Bytes that one of them may have."""
READER_MEMORY = env.int("NEEDLE_READER_MEMORY", 2048) << 20
"""Bytes that the process may have which opens a foreign file."""
CACHE_BYTES = env.int("NEEDLE_CACHE", 512) << 20
"""Bytes of segments and meter frames that are kept for whoever asks next."""
QUOTA = round(env.float("NEEDLE_QUOTA", 0.0) * (1 << 30))
"""Bytes of audio that the sessions of one owner may hold; 0: as much as there is room for."""
SERVER_QUOTA = round(env.float("NEEDLE_SERVER_QUOTA", 0.0) * (1 << 30))
"""Bytes of audio of all sessions together; 0: as much as there is room for."""
CACHE_IN_MEMORY = not TESTING
RATE_FACTOR = 1000 if TESTING else 1
"""By how much limits on how often one may ask are wider: tests ask for more in a minute than people do."""
if TASKS_IN_REDIS and not REDIS_URL:
    raise ImproperlyConfigured("NEEDLE_TASKS=redis needs NEEDLE_REDIS_URL.")


def _secret() -> str:
    secret = env.str("NEEDLE_SECRET", "")
    if secret:
        return secret
    if not LOCAL:
        raise ImproperlyConfigured("Set NEEDLE_SECRET to a long random text, or NEEDLE_LOCAL=1 on your own machine.")
    DATA_DIR.mkdir(parents=True, exist_ok=True)
    path = DATA_DIR / "secret"
    if not path.exists():
        path.touch(mode=0o600)
        path.write_text(get_random_secret_key())
    return path.read_text()


SECRET_KEY = _secret()
DEBUG = False
ALLOWED_HOSTS = env.list("NEEDLE_HOSTS", default=["127.0.0.1", "localhost"] if LOCAL else [])
if TESTING:
    ALLOWED_HOSTS.append("testserver")
CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in ALLOWED_HOSTS if host] if not LOCAL else []

INSTALLED_APPS = [
    "daphne",
    "server.project.operator.OperatorConfig",
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.messages",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "channels",
    "django_otp",
    "django_otp.plugins.otp_static",
    "django_otp.plugins.otp_totp",
    "django_tasks",
    "django_tasks_db",
    "ninja",
    "server.accounts",
    "server.mixsessions",
    "server.editing",
    "server.media",
    "server.analysis",
    "server.delivery",
    "server.collaboration",
    "server.project",
]

if TASKS_IN_REDIS:
    INSTALLED_APPS.append("django_rq")

MIDDLEWARE = [
    "server.project.logs.request_log",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django_permissions_policy.PermissionsPolicyMiddleware",
    "server.project.headers.own_resources",
    "server.project.headers.whole_addresses",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]

CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "style-src": [SELF, NONCE],
        "img-src": [SELF, "data:"],
        "font-src": [SELF],
        "connect-src": [SELF],
        "worker-src": [SELF],
        "object-src": [NONE],
        "base-uri": [SELF],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
    }
}
"""All comes from this server, and nothing may frame it."""

_NOT_WANTED = (
    "accelerometer", "camera", "display-capture", "encrypted-media", "fullscreen", "gamepad",
    "geolocation", "gyroscope", "hid", "magnetometer", "payment", "picture-in-picture", "publickey-credentials-get",
    "screen-wake-lock", "serial", "usb", "xr-spatial-tracking",
)  # fmt: skip
PERMISSIONS_POLICY: dict[str, list[str]] = {
    **{name: ["self"] for name in ("autoplay", "midi", "microphone")},
    **{name: [] for name in _NOT_WANTED},
}
"""Sound and controllers; browsers tell the names of outputs only to who may use an input."""

ROOT_URLCONF = "server.project.urls"
ASGI_APPLICATION = "server.project.asgi.application"
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [WEB_DIST, BASE_DIR / "server" / "config" / "templates"],
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "csp.context_processors.nonce",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
            ]
        },
    },
]

_SQLITE = {
    "ENGINE": "django.db.backends.sqlite3",
    "NAME": DATA_DIR / "needle.sqlite3",
    "TEST": {"NAME": DATA_DIR / "test.sqlite3"},
    "OPTIONS": {
        "timeout": 20,
        "transaction_mode": "IMMEDIATE",
        # What is acknowledged must survive even a power cut: every commit is synced. Tests survive none.
        "init_command": "PRAGMA synchronous=OFF;" if TESTING else "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL;",
    },
}
# Requests come in many threads: they share connections instead of each opening one of its own.
_POOL = {"pool": {"min_size": 1, "max_size": 12, "timeout": 20}}
DATABASES = {"default": {**env.db_url_config(DATABASE_URL), "OPTIONS": _POOL} if DATABASE_URL else _SQLITE}

# Files come in parts of this size at the most; nothing larger is ever held in memory.
DATA_UPLOAD_MAX_MEMORY_SIZE = 5 << 20

if REDIS_URL:
    CHANNEL_LAYERS = {
        "default": {"BACKEND": "channels_redis.pubsub.RedisPubSubChannelLayer", "CONFIG": {"hosts": [REDIS_URL]}}
    }
    CACHES = {"default": {"BACKEND": "django.core.cache.backends.redis.RedisCache", "LOCATION": REDIS_URL}}
else:
    CHANNEL_LAYERS = {"default": {"BACKEND": "channels.layers.InMemoryChannelLayer", "CONFIG": {"capacity": 1000}}}

_TASKS = "django_tasks_rq.RQBackend" if TASKS_IN_REDIS else "django_tasks_db.DatabaseBackend"
# Tests have what is ordered made at once.
TASKS = {"default": {"BACKEND": "django_tasks.backends.immediate.ImmediateBackend" if TESTING else _TASKS}}
RQ_QUEUES = {"default": {"URL": REDIS_URL, "DEFAULT_TIMEOUT": 4 * 3600}} if TASKS_IN_REDIS else {}

AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]

TEST_RUNNER = "tests.runner.Runner"
if TESTING:
    PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]

LANGUAGE_CODE = "en"
TIME_ZONE = "UTC"
USE_TZ = True

STATIC_URL = "static/"
# The operator's pages bring files of their own; the application's are in its build.
WHITENOISE_USE_FINDERS = True
if WEB_DIST.is_dir():
    WHITENOISE_ROOT = WEB_DIST
# Every client of a test would go through all files again; so they are looked for when they are asked for.
WHITENOISE_AUTOREFRESH = TESTING
WHITENOISE_ADD_HEADERS_FUNCTION = with_own_resources
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/assets/.+-[\w-]{8}\."

OTP_TOTP_ISSUER = "Wandering Needle"
OTP_ADMIN_HIDE_SENSITIVE_DATA = True
OTP_TOTP_THROTTLE_FACTOR = OTP_STATIC_THROTTLE_FACTOR = 0
"""Wrong codes are counted with wrong passwords, not once more by themselves."""

SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = CSRF_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = not LOCAL
# Browsers take a cookie of this name from this very host only, over HTTPS, and for all of it.
_OF_HOST = "" if LOCAL else "__Host-"
SESSION_COOKIE_NAME, CSRF_COOKIE_NAME = f"{_OF_HOST}sessionid", f"{_OF_HOST}csrftoken"
SECURE_SSL_REDIRECT = not LOCAL
SECURE_HSTS_SECONDS = 0 if LOCAL else 31536000
SECURE_HSTS_INCLUDE_SUBDOMAINS = SECURE_HSTS_PRELOAD = not LOCAL and env.bool("NEEDLE_HSTS_WIDE", True)
BEHIND_PROXY = env.bool("NEEDLE_BEHIND_PROXY", False)
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if BEHIND_PROXY else None
TRUSTED_PROXIES = env.list("NEEDLE_TRUSTED_PROXIES", default=["127.0.0.1", "::1"] if BEHIND_PROXY else [])
"""Addresses or networks of proxies whose word on where a request comes from is taken."""
for _proxy in TRUSTED_PROXIES:
    try:
        ip_network(_proxy, strict=False)
    except ValueError as error:
        raise ImproperlyConfigured(f"NEEDLE_TRUSTED_PROXIES: “{_proxy}” is no address or network.") from error
X_FRAME_OPTIONS = "DENY"
SECURE_REFERRER_POLICY = "same-origin"

LOGGING = logging_settings(env.str("NEEDLE_LOG", "plain" if LOCAL else "json"), requests=not LOCAL, quiet=TESTING)
