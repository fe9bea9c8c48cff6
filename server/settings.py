"""Django settings; everything that differs between machines comes from :mod:`server.config`."""

from __future__ import annotations

from datetime import timedelta

from server import config

CONFIG = config.load()

SECRET_KEY = CONFIG.secret_key
DEBUG = False
ALLOWED_HOSTS = CONFIG.hosts
INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "ninja",
    "axes",
    "procrastinate.contrib.django",
    "server.accounts",
    "server.projects",
    "server.runs",
    "server.readouts",
    "server.studies",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "server.middleware.ContentSecurityPolicy",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "server.middleware.NoNul",
    "server.runs.opened.KeptByDigest",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]
ROOT_URLCONF = "server.urls"
TEMPLATES: list[object] = []
WSGI_APPLICATION = "server.wsgi.application"
DATABASES = {"default": CONFIG.database}
AUTH_USER_MODEL = "accounts.User"
AUTHENTICATION_BACKENDS = [
    "axes.backends.AxesStandaloneBackend",
    "django.contrib.auth.backends.ModelBackend",
]
# Guesses of a name's password are counted for each address they come from, so that nobody is locked
# out by what somebody else does.
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_FAILURE_LIMIT = 8
AXES_COOLOFF_TIME = timedelta(minutes=10)
AXES_RESET_ON_SUCCESS = True
AXES_DISABLE_ACCESS_LOG = True
AXES_CLIENT_IP_CALLABLE = "server.accounts.api.address_of"
AXES_VERBOSE = False
SILENCED_SYSTEM_CHECKS = ["axes.W002"]  # the API answers itself, without the middleware
AUTH_PASSWORD_VALIDATORS = [
    {
        "NAME": "django.contrib.auth.password_validation.MinimumLengthValidator",
        "OPTIONS": {"min_length": 10},
    },
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
LANGUAGE_CODE = "en-gb"
USE_TZ = True
TIME_ZONE = "UTC"
STATIC_URL = "/static/"
LOOK_INLINE = CONFIG.inline  # models are looked at in this process, not in others
WEB_DIST = config.ROOT / "web" / "dist"
WHITENOISE_ROOT = WEB_DIST if WEB_DIST.exists() else None
WHITENOISE_INDEX_FILE = False
DATA_UPLOAD_MAX_MEMORY_SIZE = 20_000_000
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = CONFIG.secure_cookies
CSRF_COOKIE_SAMESITE = "Lax"
CSRF_TRUSTED_ORIGINS = CONFIG.origins
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"line": {"format": "%(asctime)s %(levelname)s %(name)s: %(message)s"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "line"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}
