"""Settings, by environment. `reed start` sets DATABASE_URL, SECRET_KEY and ALLOWED_HOSTS."""

from pathlib import Path

import environ

from reedcore.device_rules import DeviceKind
from reedcore.programme import DoseKind, TriggerKind

ROOT = Path(__file__).resolve().parent.parent.parent
env = environ.Env()

PRODUCTION = env.bool("PRODUCTION", default=False)
DEBUG = False
SECRET_KEY = env("SECRET_KEY") if PRODUCTION else env("SECRET_KEY", default="for-tests-and-checks-only")
ALLOWED_HOSTS = env.list("ALLOWED_HOSTS", default=["127.0.0.1", "localhost", "testserver"])
CSRF_TRUSTED_ORIGINS = env.list("CSRF_TRUSTED_ORIGINS", default=[])

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "rest_framework",
    "drf_spectacular",
    "axes",
    "procrastinate.contrib.django",
    "common",
    "accounts",
    "places",
    "fitting",
    "readings",
    "calibration",
    "watering",
    "logbook",
    "demo",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "axes.middleware.AxesMiddleware",
]
ROOT_URLCONF = "config.urls"
ASGI_APPLICATION = "config.asgi.application"
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "APP_DIRS": True}]

DATABASES = {"default": env.db("DATABASE_URL", default="postgres://reed@127.0.0.1:5432/reed")}
DATABASES["default"]["CONN_MAX_AGE"] = 0
if env.bool("DATABASE_POOL", default=False):
    DATABASES["default"]["OPTIONS"] = {"pool": {"min_size": 1, "max_size": 8, "timeout": 20}}
    DATABASES["default"]["CONN_HEALTH_CHECKS"] = True

AUTH_USER_MODEL = "accounts.User"
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
PASSWORD_HASHERS = ["django.contrib.auth.hashers.Argon2PasswordHasher"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 8}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
AXES_FAILURE_LIMIT = 8
AXES_COOLOFF_TIME = 0.25
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_VERBOSE = False
AXES_LOCKOUT_CALLABLE = "accounts.api.locked_out"

SESSION_COOKIE_AGE = 14 * 86400
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
SECURE_CONTENT_TYPE_NOSNIFF = True
X_FRAME_OPTIONS = "DENY"
if PRODUCTION:
    # Behind a TLS-terminating proxy; `reed start` on loopback runs without.
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
    SECURE_SSL_REDIRECT = SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = True
    SECURE_HSTS_SECONDS = 31536000
    SECURE_HSTS_INCLUDE_SUBDOMAINS = SECURE_HSTS_PRELOAD = True

LANGUAGE_CODE = "en-gb"
TIME_ZONE = "UTC"
USE_TZ = True
USE_I18N = False
WEB_DIST = ROOT / "web" / "dist"
STATIC_URL = "/assets/"
STATIC_ROOT = WEB_DIST

WHITENOISE_ROOT = WEB_DIST
DATA_UPLOAD_MAX_MEMORY_SIZE = 8 * 1024 * 1024

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": ["common.authentication.Session"],
    "DEFAULT_PERMISSION_CLASSES": ["rest_framework.permissions.IsAuthenticated"],
    "DEFAULT_RENDERER_CLASSES": ["common.rendering.CompactJson"],
    "DEFAULT_PARSER_CLASSES": ["rest_framework.parsers.JSONParser"],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "EXCEPTION_HANDLER": "common.errors.answer_with_errors",
    "UNAUTHENTICATED_USER": "django.contrib.auth.models.AnonymousUser",
    "TEST_REQUEST_DEFAULT_FORMAT": "json",
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Tall Reed",
    "VERSION": "1",
    "DESCRIPTION": "Measuring, watering and record keeping for crops in soilless substrate.",
    "SERVE_INCLUDE_SCHEMA": False,
    "COMPONENT_SPLIT_REQUEST": True,
    "ENUM_NAME_OVERRIDES": {
        "RoleEnum": "accounts.roles.Role",
        "DeviceKindEnum": [(k.value, k.name) for k in DeviceKind],
        "DoseKindEnum": [(k.value, k.name) for k in DoseKind],
        "TriggerKindEnum": [(k.value, k.name) for k in TriggerKind],
    },
}
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"plain": {"format": "%(levelname)s %(name)s %(message)s"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "plain"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {
        "axes": {"level": "ERROR"},
        "procrastinate": {"level": "WARNING"},
        "django.request": {"level": "ERROR"},
    },
}
DEMO_SITE_NAME = "Heron Quay Glass"

STANDIN_PORT_BASE = env.int("STANDIN_PORT_BASE", default=15900)
"""First port of the stand-in nodes that people add; `reed start` finds a free row of them."""
UPLOADS = Path(env("UPLOADS", default=str(ROOT / "var" / "uploads")))
