"""Django settings. Everything an installation may change comes from the environment, ENAMEL_…"""

import os
import secrets
from datetime import timedelta
from pathlib import Path
from typing import Any

from enamel.core.intake.pixels import Limits

ROOT = Path(__file__).resolve().parents[2]
VAR = Path(os.environ.get("ENAMEL_VAR", ROOT / "var"))


def _kept(name: str) -> str:
    """Return what bin/setup and bin/cluster stored under var/: secrets, the database's port."""
    path = VAR / name
    return path.read_text().strip() if path.exists() else ""


def _flag(name: str) -> bool:
    return os.environ.get(name, "").lower() in ("1", "true", "yes")


SECRET_KEY = (
    os.environ.get("ENAMEL_SECRET_KEY") or _kept("secrets/django") or secrets.token_urlsafe(48)
)
"""Before bin/setup has run: a random one that ends with the process."""
DEBUG = _flag("ENAMEL_DEBUG")
DEMO = _flag("ENAMEL_DEMO")
"""Demo mode: the sign-in page offers the demo account with one click."""
HTTPS = _flag("ENAMEL_HTTPS")

ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]"]
ALLOWED_HOSTS += [host for host in os.environ.get("ENAMEL_HOSTS", "").split(",") if host]
CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in ALLOWED_HOSTS[3:]]

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "django.contrib.postgres",
    "axes",
    "csp",
    "procrastinate.contrib.django",
    "enamel.jobs",
    "enamel.accounts",
    "enamel.web",
    "enamel.uploads",
    "enamel.catalogue",
    "enamel.library",
    "enamel.workspace",
    "enamel.firings",
    "enamel.swatches",
    "enamel.touchups",
    "enamel.finishing",
    "enamel.prints",
    "enamel.batches",
    "enamel.orders",
    "enamel.compare",
    "enamel.kiln",
    "enamel.maintenance",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "csp.middleware.CSPMiddleware",
    "enamel.web.middleware.PrivatePages",
    "enamel.web.middleware.StorableText",
    "enamel.web.refusals.Refusals",
    "axes.middleware.AxesMiddleware",
]
ROOT_URLCONF = "enamel.server.urls"
ASGI_APPLICATION = "enamel.server.asgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "enamel.accounts.context.installation",
                "enamel.accounts.context.preferences",
            ],
        },
    }
]

FORM_RENDERER = "enamel.web.widgets.PlainWidgets"

DB_POOL = int(os.environ.get("ENAMEL_DB_POOL", "10"))
"""Most connections of one process; more requests than that wait for one."""
DATABASES = {
    "default": {
        "ENGINE": "enamel.server.postgresql",
        "NAME": os.environ.get("ENAMEL_DB_NAME", "enamel"),
        "USER": os.environ.get("ENAMEL_DB_USER", "enamel"),
        "PASSWORD": os.environ.get("ENAMEL_DB_PASSWORD") or _kept("secrets/postgres"),
        "HOST": os.environ.get("ENAMEL_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("ENAMEL_DB_PORT") or _kept("postgres/port") or "5432",
        # threads share connections through a pool
        "OPTIONS": {"pool": {"min_size": 1, "max_size": DB_POOL, "timeout": 30}},
    }
}
# several processes serve requests; each token's are counted for all of them together
CACHES = {
    "default": {
        "BACKEND": "django.core.cache.backends.filebased.FileBasedCache",
        "LOCATION": os.environ.get("ENAMEL_CACHE", VAR / "cache"),
        "OPTIONS": {"MAX_ENTRIES": 20_000},
    },
    # what a web process may cache about recent callers
    "just-asked": {
        "BACKEND": "django.core.cache.backends.locmem.LocMemCache",
        "LOCATION": "just-asked",
        "TIMEOUT": 60,
        "OPTIONS": {"MAX_ENTRIES": 2000},
    },
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
AUTHENTICATION_BACKENDS = [
    "axes.backends.AxesStandaloneBackend",
    "enamel.accounts.signing.AccountBackend",
]
AXES_FAILURE_LIMIT = 5
AXES_COOLOFF_TIME = timedelta(minutes=5)
"""How long a name is locked for an address after that many wrong passwords."""
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_USERNAME_CALLABLE = "enamel.accounts.signing.counted_name"
AXES_CLIENT_IP_CALLABLE = "enamel.accounts.signing.counted_address"
AXES_LOCKOUT_CALLABLE = "enamel.accounts.signing.locked_out"
AXES_RESET_ON_SUCCESS = True
AXES_RESET_COOL_OFF_ON_FAILURE_DURING_LOCKOUT = False
AXES_DISABLE_ACCESS_LOG = True
AXES_ENABLE_ADMIN = False
AXES_VERBOSE = False
PROXIES = [address for address in os.environ.get("ENAMEL_PROXIES", "").split(",") if address]
"""Addresses of reverse proxies. X-Forwarded-For and X-Forwarded-Proto are believed from these only."""
LOGIN_URL = "sign-in"
LOGIN_REDIRECT_URL = "pieces"
LOGOUT_REDIRECT_URL = "sign-in"

LANGUAGE_CODE = "en"
TIME_ZONE = "UTC"
USE_TZ = True

STATIC_URL = "static/"
STATIC_ROOT = VAR / "static"
MEDIA_ROOT = Path(os.environ.get("ENAMEL_MEDIA", VAR / "pictures"))
STORAGES: dict[str, dict[str, Any]] = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "enamel.server.static.StaticStorage"},
}
if DEBUG or _flag("ENAMEL_PLAIN_STATIC"):
    STORAGES["staticfiles"]["BACKEND"] = "django.contrib.staticfiles.storage.StaticFilesStorage"
    WHITENOISE_USE_FINDERS = True

BUCKET = os.environ.get("ENAMEL_BUCKET", "")
"""Bucket of an S3-compatible storage for pictures, layers and files; none keeps them under MEDIA_ROOT."""
if BUCKET:
    STORAGES["default"] = {
        "BACKEND": "storages.backends.s3.S3Storage",
        "OPTIONS": {
            "bucket_name": BUCKET,
            "endpoint_url": os.environ.get("ENAMEL_BUCKET_URL") or None,
            "location": os.environ.get("ENAMEL_BUCKET_FOLDER", ""),
            "default_acl": None,
        },
    }
COPIES_MB = float(os.environ.get("ENAMEL_COPIES_MB", "8000"))
"""Limit for local copies of what is stored in a bucket, on each machine."""
TILE_STORE_MB = float(os.environ.get("ENAMEL_TILE_STORE_MB", "2000"))
"""Limit for the finished tiles that firings and swatches share."""
KILN_WORK = Path(os.environ.get("ENAMEL_WORK", VAR / "kiln"))
"""Finished tiles of running firings. Where workers on several machines don't share it, a coat that goes on
elsewhere begins again."""
os.environ.setdefault("ENAMEL_MODELS", str(VAR / "models"))
"""Folder of the artist's own models, read by core. Workers on several machines have to share it."""
os.environ.setdefault("ENAMEL_CHECKPOINTS", str(VAR / "checkpoints"))
"""Folder that checkpoints are put into, to be added from the page."""
os.environ.setdefault("ENAMEL_PROFILES", str(VAR / "profiles"))
DEMO_PICTURES = ROOT / "demo" / "pictures"
DEMO_PRESETS = ROOT / "demo" / "presets.json"
MAX_MEGAPIXELS = float(os.environ.get("ENAMEL_MAX_MEGAPIXELS", "300"))
MAX_UPLOAD_MB = float(os.environ.get("ENAMEL_MAX_UPLOAD_MB", "200"))
IMPORT_LIMITS = Limits(max_bytes=int(MAX_UPLOAD_MB * 1e6), max_megapixels=MAX_MEGAPIXELS)
FILE_UPLOAD_HANDLERS = ["django.core.files.uploadhandler.TemporaryFileUploadHandler"]

INCOMING = Path(os.environ.get("ENAMEL_INCOMING", VAR / "incoming"))
"""Folder whose folders of pictures batches can take, and watch. Workers have to share it."""
PROCRASTINATE_AUTODISCOVER_MODULE_NAME = "jobs"
PRINT_FOLDER = (
    Path(os.environ["ENAMEL_PRINT_FOLDER"]) if "ENAMEL_PRINT_FOLDER" in os.environ else None
)
"""Folder that print files can be put into, for a printer or a shop that watches it."""
PRINT_SHOP = os.environ.get("ENAMEL_PRINT_SHOP") or (
    f"http://127.0.0.1:{_kept('run/shop.port') or 8760}"
)
"""Address of the print shop; by default its stand-in on loopback."""

BUREAU = os.environ.get("ENAMEL_BUREAU") or f"http://127.0.0.1:{_kept('run/bureau.port') or 8770}"
"""Address of the remote renderer; by default its stand-in on loopback."""
BUREAU_KEY = os.environ.get("ENAMEL_BUREAU_KEY") or _kept("secrets/bureau")
"""Key of the workshop's account at the remote renderer."""

API_LOOKING = os.environ.get("ENAMEL_API_LOOKING", "600/m")
"""How often a token may send requests; changing requests have a separate limit."""
API_CHANGING = os.environ.get("ENAMEL_API_CHANGING", "120/m")

SESSION_ENGINE = "enamel.accounts.sessions"
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE_SSL_REDIRECT = HTTPS
SECURE_HSTS_SECONDS = 31_536_000 if HTTPS else 0
SECURE_REFERRER_POLICY = "same-origin"
SECURE_CROSS_ORIGIN_OPENER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": ["'none'"],
        "script-src": ["'self'"],
        # the hash allows the few style rules that the picture viewer adds for touch screens
        "style-src": ["'self'", "'sha256-9xTiqzfwFaL2SGb1rmr8gysEwVVjIvqWAgmZgqFqpEE='"],
        "img-src": ["'self'", "data:", "blob:"],
        "font-src": ["'self'"],
        "connect-src": ["'self'"],
        "form-action": ["'self'"],
        "base-uri": ["'none'"],
        "frame-ancestors": ["'none'"],
    }
}
METRICS = _flag("ENAMEL_METRICS")
"""Whether /metrics has figures for Prometheus. Everyone who reaches the port can read them."""
LOG_FORMATS: dict[str, dict[str, Any]] = {
    "line": {"format": "%(asctime)s %(levelname)s %(name)s: %(message)s"},
    "json": {
        "()": "pythonjsonlogger.json.JsonFormatter",
        "fmt": "%(asctime)s %(levelname)s %(name)s %(message)s",
    },
}
LOG_FORMAT = "json" if os.environ.get("ENAMEL_LOG_FORMAT") == "json" else "line"
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": LOG_FORMATS,
    "handlers": {"stderr": {"class": "logging.StreamHandler", "formatter": LOG_FORMAT}},
    "root": {"handlers": ["stderr"], "level": "INFO"},
    "loggers": {name: {"level": "WARNING"} for name in ("procrastinate", "pyvips", "httpx")},
}
