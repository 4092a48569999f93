"""Settings, all from the environment; `./pulley` fills it in. See docs/running.md."""

import os
from datetime import timedelta
from pathlib import Path

from csp.constants import NONE, SELF

from pulley.core.files import secret, version_of

ROOT = Path(__file__).resolve().parents[3]
VAR = Path(os.environ.get("PULLEY_VAR", ROOT / "var")).resolve()
DEMO = os.environ.get("PULLEY_DEMO") == "1"  # signs everybody on this machine in as the demo user
DEMO_USER = "demo"


SECRET_KEY = os.environ.get("PULLEY_SECRET_KEY") or secret(VAR / "secret_key")
DEBUG = False
LOOPBACK_NAMES = "127.0.0.1,localhost,[::1]"
ALLOWED_HOSTS = (LOOPBACK_NAMES if DEMO else os.environ.get("PULLEY_HOSTS", LOOPBACK_NAMES)).split(",")
INSTALLED_APPS = [
    "django.contrib.admin",
    "django.contrib.auth",
    "django.contrib.messages",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "csp",
    "django_htmx",
    "django_tasks",
    "django_tasks_db",
    "axes",
    "pulley.web.accounts",
    "pulley.web.jobs",
    "pulley.web.library",
    "pulley.web.analysis",
    "pulley.web.editor",
    "pulley.web.sheets",
    "pulley.web.revisions",
    "pulley.web.assembling",
    "pulley.web.publishing",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "pulley.web.door.refuse_huge",
    "pulley.web.accounts.middleware.kept_nowhere",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "pulley.web.accounts.middleware.sign_in_on_demo",
    "pulley.web.accounts.middleware.SignedIn",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "pulley.web.errors.explain",
    "axes.middleware.AxesMiddleware",
]
ROOT_URLCONF = "pulley.web.urls"
WSGI_APPLICATION = "pulley.web.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [Path(__file__).parent / "templates"],
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "pulley.web.context.fineness",
            ]
        },
    }
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.mysql",
        "HOST": os.environ.get("PULLEY_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("PULLEY_DB_PORT", "3306"),
        "NAME": os.environ.get("PULLEY_DB_NAME", "pulley"),
        "USER": os.environ.get("PULLEY_DB_USER", "pulley"),
        "PASSWORD": os.environ.get("PULLEY_DB_PASSWORD", ""),
        "CONN_MAX_AGE": 300,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {"charset": "utf8mb4", "connect_timeout": 3, "init_command": "SET sql_mode='STRICT_TRANS_TABLES'"},
        "TEST": {"CHARSET": "utf8mb4", "COLLATION": "utf8mb4_unicode_ci"},
    }
}
CACHES = {  # what the web server processes have worked out and share; it can be deleted at any time
    "default": {
        "BACKEND": "django.core.cache.backends.filebased.FileBasedCache",
        "LOCATION": VAR / "cache",
        "TIMEOUT": 7 * 86400,
        "KEY_PREFIX": version_of(ROOT / "src/pulley/core"),  # another core may find something else
        "OPTIONS": {"MAX_ENTRIES": 5000},
    },
    "fragments": {  # pieces of pages as this process has drawn them
        "BACKEND": "django.core.cache.backends.locmem.LocMemCache",
        "LOCATION": "fragments",
        "OPTIONS": {"MAX_ENTRIES": 4000},
    },
}
STORAGES = {
    "geometry": {  # meshes, exact shapes, GLBs and pictures, named by content
        "BACKEND": "pulley.web.library.files.WholeFiles",
        "OPTIONS": {"location": VAR / "geometry"},
    },
    "uploads": {  # what users brought in, named by SHA-256
        "BACKEND": "pulley.web.library.files.WholeFiles",
        "OPTIONS": {"location": VAR / "files"},
    },
    "made": {  # films, 3D files and all else that is published, named by SHA-256
        "BACKEND": "pulley.web.library.files.WholeFiles",
        "OPTIONS": {"location": VAR / "made"},
    },
    "staticfiles": {"BACKEND": "pulley.web.statics.HashedFiles"},
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
FINE = (
    min(max(int(os.environ.get("PULLEY_FINE", "150")), 50), 400) / 100
)  # pixels of the canvas to one of the page, by processor
LOOK_AHEAD = int(os.environ.get("PULLEY_LOOK_AHEAD", "1000"))  # components of what is looked at as it comes in
TASKS = {
    "default": {
        "BACKEND": os.environ.get("PULLEY_TASKS", "django_tasks_db.DatabaseBackend"),
        "QUEUES": ["default", "analysis", "publishing"],
    }
}

AUTH_USER_MODEL = "accounts.User"
LOGIN_URL = "login"
LOGIN_REDIRECT_URL = "library"
LOGOUT_REDIRECT_URL = "login"
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
AXES_FAILURE_LIMIT = 8  # wrong passwords for a name from one place
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_COOLOFF_TIME = timedelta(minutes=15)
AXES_RESET_ON_SUCCESS = True
AXES_LOCKOUT_CALLABLE = "pulley.web.errors.locked_out"
AXES_DISABLE_ACCESS_LOG = True
AXES_VERBOSE = False
_CHECKS = "django.contrib.auth.password_validation"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"{_CHECKS}.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": f"{_CHECKS}.UserAttributeSimilarityValidator"},
    {"NAME": f"{_CHECKS}.CommonPasswordValidator"},
    {"NAME": f"{_CHECKS}.NumericPasswordValidator"},
]
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
CSRF_FAILURE_VIEW = "pulley.web.errors.forged"
if os.environ.get("PULLEY_HTTPS") == "1":
    SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = True
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
    SECURE_SSL_REDIRECT, SECURE_REDIRECT_EXEMPT = True, ["^alive$"]
    SECURE_HSTS_SECONDS = 31536000
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF],
        "style-src": [SELF],
        "font-src": [SELF],
        "img-src": [SELF, "data:"],
        "media-src": [SELF],
        "connect-src": [SELF],
        "form-action": [SELF],
        "base-uri": [NONE],
        "frame-ancestors": [NONE],
    }
}

PUBLISHED_LIMIT = int(os.environ.get("PULLEY_PUBLISHED_MB", "4000")) * 10**6  # bytes of files made for one user
UPLOAD_LIMIT = 256 * 2**20  # bytes of one file; the reader has the same limit
DATA_UPLOAD_MAX_MEMORY_SIZE = 24 * 2**20  # a whole teardown fits

LANGUAGE_CODE = "en"
USE_I18N = False  # all text is English; looking translations up takes a fifth of a page's time
USE_TZ = True
TIME_ZONE = "UTC"
STATICFILES_DIRS = [
    Path(__file__).parent / "static",
    ("lettering", ROOT / "src/pulley/core/drawing/lettering/font"),  # the typeface of sheets, the same as in files
]
STATIC_ROOT = VAR / "static"  # collected by `./pulley` before anything is served
STATIC_URL = "static/"
TEST_RUNNER = "pulley.web.runner.CountingRunner"
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"plain": {"format": "{asctime} {levelname} {name}: {message}", "style": "{"}},
    "handlers": {
        "console": {
            "class": "logging.StreamHandler",
            "formatter": "plain",
            "level": os.environ.get("PULLEY_LOG", "WARNING"),
        }
    },
    "root": {"handlers": ["console"], "level": "INFO"},
}
