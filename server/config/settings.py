"""Settings, by environment variables only (docs/running.md lists them). Without a secret nothing starts.

``NEEDLE_LOCAL=1`` is for one machine: a secret is made once and kept in the data folder.
"""

import os
import sys
from pathlib import Path

from django.core.exceptions import ImproperlyConfigured
from django.core.management.utils import get_random_secret_key

BASE_DIR = Path(__file__).resolve().parent.parent.parent
TESTING = "test" in sys.argv[1:2]
LOCAL = os.environ.get("NEEDLE_LOCAL") == "1" or TESTING
DATA_DIR = Path(os.environ.get("NEEDLE_DATA", BASE_DIR / "data")).resolve()
DEMO = os.environ.get("NEEDLE_DEMO") == "1"
WEB_DIST = BASE_DIR / "web" / "dist"


def _secret() -> str:
    given = os.environ.get("NEEDLE_SECRET", "")
    if given:
        return given
    if not LOCAL:
        raise ImproperlyConfigured("Set NEEDLE_SECRET to a long random text, or NEEDLE_LOCAL=1 on your own machine.")
    DATA_DIR.mkdir(parents=True, exist_ok=True)
    kept = DATA_DIR / "secret"
    if not kept.exists():
        kept.touch(mode=0o600)
        kept.write_text(get_random_secret_key())
    return kept.read_text()


SECRET_KEY = _secret()
DEBUG = False
ALLOWED_HOSTS = os.environ.get("NEEDLE_HOSTS", "127.0.0.1,localhost" if LOCAL else "").split(",")
if TESTING:
    ALLOWED_HOSTS.append("testserver")
CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in ALLOWED_HOSTS if host] if not LOCAL else []

INSTALLED_APPS = [
    "daphne",
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "channels",
    "ninja",
    "server.mixing",
    "server.audio",
]

MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "server.config.middleware.content_security_policy",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]

ROOT_URLCONF = "server.config.urls"
ASGI_APPLICATION = "server.config.asgi.application"
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

TEMPLATES = [
    {"BACKEND": "django.template.backends.django.DjangoTemplates", "DIRS": [WEB_DIST], "APP_DIRS": True},
]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA_DIR / "needle.sqlite3",
        "TEST": {"NAME": DATA_DIR / "test.sqlite3"},
        "OPTIONS": {
            "timeout": 20,
            "transaction_mode": "IMMEDIATE",
            # What is acknowledged must survive even a power cut: every commit is synced.
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL;",
        },
    }
}

# Files come in parts of this size at the most; nothing larger is ever held in memory.
DATA_UPLOAD_MAX_MEMORY_SIZE = 5 << 20

CHANNEL_LAYERS = {"default": {"BACKEND": "channels.layers.InMemoryChannelLayer"}}

AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]

if TESTING:
    PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]

LANGUAGE_CODE = "en"
TIME_ZONE = "UTC"
USE_TZ = True

STATIC_URL = "static/"
if WEB_DIST.is_dir():
    WHITENOISE_ROOT = WEB_DIST
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/assets/.+-[\w-]{8}\."

SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = CSRF_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = not LOCAL
SECURE_SSL_REDIRECT = not LOCAL
SECURE_HSTS_SECONDS = 0 if LOCAL else 31536000
SECURE_PROXY_SSL_HEADER = (
    ("HTTP_X_FORWARDED_PROTO", "https") if os.environ.get("NEEDLE_BEHIND_PROXY") == "1" else None
)
X_FRAME_OPTIONS = "DENY"
SECURE_REFERRER_POLICY = "same-origin"

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"plain": {"format": "{asctime} {levelname} {name}: {message}", "style": "{"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "plain"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {"django": {"level": "ERROR" if TESTING else "WARNING"}},
}
