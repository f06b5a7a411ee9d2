"""Settings of the server. `DATA` names the folder of the database and the secrets (./var), `MOORLAND_DEMO` turns on the demo's sign-in list."""

import os
from pathlib import Path

from moorland.server.keys import kept_secret

BASE_DIR = Path(__file__).resolve().parents[2]
DATA = Path(os.environ.get("DATA", "var")).resolve()
#: Whatever the server writes is its owner's only.
os.umask(0o077)
DATA.mkdir(mode=0o700, parents=True, exist_ok=True)

SECRET_KEY = kept_secret(DATA / "secret.key")
TRAIL_KEY = kept_secret(DATA / "trail.key")
#: The file of the keys that secret attribute values are sealed with (server.directory.secret_values).
SEALING_KEYS = DATA / "sealing.keys"
DEMO = os.environ.get("MOORLAND_DEMO") == "1"
DEBUG = False
ALLOWED_HOSTS = ["localhost", "127.0.0.1", "[::1]", *filter(None, os.environ.get("MOORLAND_HOSTS", "").split(","))]

#: The address of a proxy before the server, whose word about addresses and TLS is taken; nobody else's is.
TRUSTED_PROXY = os.environ.get("MOORLAND_TRUSTED_PROXY", "")

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "rest_framework",
    "drf_spectacular",
    "axes",
    "moorland.server.trail",
    "moorland.server.directory",
    "moorland.server.duties",
    "moorland.server.access",
    "moorland.server.catalog",
    "moorland.server.policies",
    "moorland.server.pages",
    "moorland.server.releases",
    "moorland.server.tasks",
    "moorland.server.viewing",
    "moorland.server.door",
    "moorland.server.outside",
    "moorland.server.checks",
    "moorland.server.sources",
    "moorland.server.origins",
    "moorland.server.schedules",
    "moorland.server.reviews",
]

MIDDLEWARE = [
    "moorland.server.operation.requests_seen.RequestsSeen",
    "moorland.server.protection.ContentSecurityMiddleware",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "moorland.server.pricing.PriceMiddleware",
    "axes.middleware.AxesMiddleware",
]

ROOT_URLCONF = "moorland.server.urls"
WSGI_APPLICATION = "moorland.server.wsgi.application"
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates"}]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA / "moorland.sqlite3",
        # Each thread that answers keeps its connection.
        "CONN_MAX_AGE": None,
        "OPTIONS": {
            "timeout": 20,
            "transaction_mode": "IMMEDIATE",
            "init_command": "PRAGMA page_size=32768; PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA foreign_keys=ON;",
        },
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTH_USER_MODEL = "directory.Account"
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "moorland.server.directory.sign_in.LoginBackend"]
PASSWORD_HASHERS = ["django.contrib.auth.hashers.Argon2PasswordHasher"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {"NAME": "django.contrib.auth.password_validation.NumericPasswordValidator"},
    {"NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator", "OPTIONS": {"user_attributes": ["login", "name", "email"]}},
    {"NAME": "moorland.server.directory.passwords.VariedPasswordValidator"},
]

AXES_FAILURE_LIMIT = "moorland.server.access.rules.attempts_allowed"
AXES_COOLOFF_TIME = "moorland.server.access.rules.pause"
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_USERNAME_CALLABLE = "moorland.server.directory.throttling.asked_identity"
AXES_CLIENT_IP_CALLABLE = "moorland.server.directory.throttling.address_of"
AXES_USERNAME_FORM_FIELD = "login"
AXES_RESET_ON_SUCCESS = True
AXES_RESET_COOL_OFF_ON_FAILURE_DURING_LOCKOUT = False
AXES_LOCKOUT_CALLABLE = "moorland.server.protection.locked_out"
AXES_VERBOSE = False
SILENCED_SYSTEM_CHECKS = ["axes.W003"]

SESSION_ENGINE = "moorland.server.directory.session_store"
SESSION_COOKIE_NAME = "moorland_session"
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_AGE = 12 * 3600
CSRF_COOKIE_NAME = "moorland_csrf"
CSRF_COOKIE_SAMESITE = "Lax"
CSRF_HEADER_NAME = "HTTP_X_CSRF_TOKEN"
CSRF_FAILURE_VIEW = "moorland.server.protection.csrf_failure"
#: Behind TLS: cookies travel by it only, and browsers are told to use nothing else.
TLS = os.environ.get("MOORLAND_TLS") == "1"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE_SSL_REDIRECT = TLS
SECURE_HSTS_SECONDS = 365 * 24 * 3600 if TLS else 0
CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in ALLOWED_HOSTS] if TLS else []
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
DATA_UPLOAD_MAX_MEMORY_SIZE = 4 * 1024 * 1024

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": ["moorland.server.access.tokens.TokenSignIn", "moorland.server.protection.SessionSignIn"],
    "DEFAULT_PERMISSION_CLASSES": ["moorland.server.duties.permission.HasDuty"],
    "DEFAULT_RENDERER_CLASSES": ["rest_framework.renderers.JSONRenderer"],
    "DEFAULT_PARSER_CLASSES": ["rest_framework.parsers.JSONParser"],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "EXCEPTION_HANDLER": "moorland.server.errors.handle",
    "UNAUTHENTICATED_USER": None,
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Moorland",
    "OAS_VERSION": "3.1.1",
    "DESCRIPTION": "Who sees what, for everyone at once, before anything is released.",
    "VERSION": "1",
    "ENUM_NAME_OVERRIDES": {"TaskState": ["waiting", "running", "done", "failed", "cancelled", "interrupted"]},
    "SERVE_PERMISSIONS": ["moorland.server.duties.permission.IsKeeper"],
    "SERVE_AUTHENTICATION": ["moorland.server.protection.SessionSignIn"],
}

#: Where mail is sent by; without a host, links are shown to who makes them. In the demo mail goes into a folder.
EMAIL_HOST = os.environ.get("MOORLAND_MAIL_HOST", "")
EMAIL_PORT = int(os.environ.get("MOORLAND_MAIL_PORT", "25"))
EMAIL_BACKEND = "django.core.mail.backends.filebased.EmailBackend" if DEMO else "django.core.mail.backends.smtp.EmailBackend"
DEFAULT_FROM_EMAIL = os.environ.get("MOORLAND_MAIL_FROM", "moorland@localhost")
EMAIL_FILE_PATH = DATA / "mail"
MAIL_IS_SET_UP = DEMO or bool(EMAIL_HOST)

STATIC_URL = "/static/"
#: The built interface: of the checkout, or in the wheel.
WHITENOISE_ROOT = next((built for built in (BASE_DIR / "web" / "dist", BASE_DIR / "moorland" / "interface") if built.is_dir()), BASE_DIR / "web" / "dist")
#: The manual as a site, where it was built; else the interface does not offer it.
MANUAL_ROOT = next((built for built in (BASE_DIR / "build" / "manual", BASE_DIR / "moorland" / "manual") if built.is_dir()), None)
WHITENOISE_INDEX_FILE = True
#: What is built is named by its content.
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/static/.+-[\w-]{8}\.\w+$"
WHITENOISE_ALLOW_ALL_ORIGINS = False
USE_TZ = True
TIME_ZONE = "UTC"
USE_I18N = False

#: With MOORLAND_LOG=json the log is JSON lines, a line for each request among them (docs/operation.md).
LOG_AS_JSON = os.environ.get("MOORLAND_LOG") == "json"
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"lines": {"()": "moorland.server.operation.logs.JsonLines"}},
    "handlers": {"console": {"class": "logging.StreamHandler", **({"formatter": "lines"} if LOG_AS_JSON else {})}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    # What Django says of a refusal names its address, which may hold a login.
    "loggers": {
        "axes": {"level": "ERROR"},
        "moorland.requests": {"level": "INFO" if LOG_AS_JSON else "WARNING"},
        **({"django.request": {"level": "ERROR"}} if LOG_AS_JSON else {}),
    },
}
