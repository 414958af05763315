"""Settings. Everything that differs between machines comes from the environment; docs/operations.md lists it.

Defaults are the safe ones: DEBUG does not exist here, hosts are loopback, cookies are strict.
"""

from __future__ import annotations

import os
from pathlib import Path

from csp.constants import NONE, SELF, UNSAFE_INLINE

ROOT = Path(__file__).resolve().parents[2]
RUN = Path(os.environ.get("MOVELOT_RUN", ROOT / ".run")).resolve()
WEB_DIST = ROOT / "web" / "dist"


def secret(name: str) -> str:
    """The content of a key file under RUN, made by scripts/stack.py; empty where none is needed (schema, lint)."""
    file = RUN / "keys" / name
    return file.read_text().strip() if file.exists() else ""


SECRET_KEY = secret("django") or "only-for-commands-that-serve-nobody"
DEVICE_SECRET_KEY_FILE = RUN / "keys" / "devices"
DEBUG = False
ALLOWED_HOSTS = os.environ.get("MOVELOT_HOSTS", "127.0.0.1,localhost").split(",")
WEB_PORT = int(os.environ.get("MOVELOT_PORT", "8470"))
CSRF_TRUSTED_ORIGINS = [f"http://{host}:{WEB_PORT}" for host in ALLOWED_HOSTS]
CSRF_TRUSTED_ORIGINS += [f"https://{host}" for host in ALLOWED_HOSTS]
OVER_TLS = os.environ.get("MOVELOT_TLS") == "1"

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "rest_framework",
    "drf_spectacular",
    "django_filters",
    "django_celery_beat",
    "axes",
    "csp",
    "movelot.accounts",
    "movelot.audit",
    "movelot.repeats",
    "movelot.jobs",
    "movelot.inventory",
    "movelot.lots",
    "movelot.devices",
    "movelot.findings",
    "movelot.images",
    "movelot.stages",
]
# A stage is a folder and a line here (see movelot.stages).
STAGES = [
    "movelot.rounds.stage",
    "movelot.attach.stage",
    "movelot.network.stage",
    "movelot.policies.stage",
    "movelot.machines.stage",
    "movelot.images.stage",
    "movelot.balance.stage",
    "movelot.capacity.stage",
    "movelot.exchange.stage",
    "movelot.trace.stage",
    "movelot.links.stage",
    "movelot.stages.lots",
]
MIDDLEWARE = [
    "movelot.proxy.TrustedProxy",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "movelot.accounts.sign_ins.SessionLimits",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    # Outside the trail, so that a call carried out once is written down once.
    "movelot.repeats.middleware.Repeats",
    "movelot.audit.middleware.AuditTrail",
    "axes.middleware.AxesMiddleware",
]
ROOT_URLCONF = "movelot.urls"
WSGI_APPLICATION = "movelot.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [WEB_DIST],
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
            ]
        },
    }
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.mysql",
        "NAME": os.environ.get("MOVELOT_DB_NAME", "movelot"),
        "USER": "movelot",
        "PASSWORD": secret("database"),
        "HOST": os.environ.get("MOVELOT_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("MOVELOT_DB_PORT", "13306"),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {"charset": "utf8mb4", "isolation_level": "read committed"},
        "TEST": {"CHARSET": "utf8mb4"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
REDIS_HOST, REDIS_PORT = (
    os.environ.get("MOVELOT_REDIS_HOST", "127.0.0.1"),
    os.environ.get("MOVELOT_REDIS_PORT", "16379"),
)
_REDIS_ACCOUNT = f":{secret('redis')}@" if secret("redis") else ""
REDIS = f"redis://{_REDIS_ACCOUNT}{REDIS_HOST}:{REDIS_PORT}/{os.environ.get('MOVELOT_REDIS_DB', '0')}"
CACHES = {
    "default": {
        "BACKEND": "movelot.cache.LosableRedisCache",
        "LOCATION": REDIS,
        "OPTIONS": {"serializer": "movelot.cache.JsonSerializer", "socket_connect_timeout": 1, "socket_timeout": 2},
    }
}

AUTH_USER_MODEL = "accounts.User"
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 12}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
AXES_FAILURE_LIMIT = 8
AXES_COOLOFF_TIME = 0.25
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_VERBOSE = False

SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Strict"
CSRF_COOKIE_SAMESITE = "Strict"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = OVER_TLS
# Signed out after so long without anybody there, and after so long in all.
SESSION_IDLE_MINUTES = int(os.environ.get("MOVELOT_IDLE_MINUTES", "60"))
SESSION_HOURS = 12
SESSION_COOKIE_AGE = SESSION_HOURS * 3600
# Proxies that end TLS: what they say of who asked is believed. SecurityMiddleware adds HSTS to what came over TLS.
TRUSTED_PROXIES = [address for address in os.environ.get("MOVELOT_PROXIES", "").split(",") if address]
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
SECURE_HSTS_SECONDS = 365 * 24 * 3600
# Requests a minute: pages ask a few times a second at most.
PERSON_REQUESTS_PER_MINUTE = 3000
TOKEN_REQUESTS_PER_MINUTE = 600
STRANGER_REQUESTS_PER_MINUTE = 300
TRIES_PER_MINUTE = 30
X_FRAME_OPTIONS = "DENY"
SECURE_REFERRER_POLICY = "same-origin"
# Styles are put into the page by the component library at run time; scripts never are.
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "script-src": [SELF],
        "style-src": [SELF, UNSAFE_INLINE],
        "img-src": [SELF, "data:"],
        "font-src": [SELF],
        "connect-src": [SELF],
        "object-src": [NONE],
        "base-uri": [SELF],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
    }
}

STATIC_URL = "/static/"
STATIC_ROOT = RUN / "static"
STATICFILES_DIRS = [("web", WEB_DIST)] if WEB_DIST.exists() else []
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "whitenoise.storage.CompressedStaticFilesStorage"},
}

LANGUAGE_CODE = "en"
USE_I18N = False
USE_TZ = True
TIME_ZONE = "UTC"

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": ["movelot.accounts.tokens.TokenSignIn", "movelot.accounts.session.SessionSignIn"],
    "DEFAULT_THROTTLE_CLASSES": ["movelot.accounts.rates.PerMinute"],
    "DEFAULT_PERMISSION_CLASSES": ["movelot.accounts.roles.ReadsOrRole"],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "DEFAULT_PAGINATION_CLASS": "movelot.inventory.paging.Pages",
    "DEFAULT_FILTER_BACKENDS": [
        "django_filters.rest_framework.DjangoFilterBackend",
        "rest_framework.filters.SearchFilter",
        "rest_framework.filters.OrderingFilter",
    ],
    "PAGE_SIZE": 50,
    "EXCEPTION_HANDLER": "movelot.problems.handle",
    "DEFAULT_RENDERER_CLASSES": ["rest_framework.renderers.JSONRenderer"],
    "DEFAULT_PARSER_CLASSES": ["rest_framework.parsers.JSONParser"],
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Move Lot",
    "VERSION": "0.1.0",
    "DESCRIPTION": "Readings, findings, plans and lots. Errors are RFC 9457 problem details.",
    "SERVE_INCLUDE_SCHEMA": False,
    "SERVE_PERMISSIONS": [
        "rest_framework.permissions.AllowAny"
        if os.environ.get("MOVELOT_OPEN_SCHEMA") == "1"
        else "rest_framework.permissions.IsAuthenticated"
    ],
    "COMPONENT_SPLIT_REQUEST": True,
    # Of several fields called kind each keeps a name of its own, whoever comes next.
    "ENUM_NAME_OVERRIDES": {
        "RuleKindEnum": "movelot.inventory.rule_kinds.RULE_KIND_NAMES",
        "KindEnum": ["datastore", "pool"],
    },
    "POSTPROCESSING_HOOKS": [
        "drf_spectacular.hooks.postprocess_schema_enums",
        "movelot.schema_hooks.with_problems",
        "movelot.schema_hooks.with_lot_kinds",
        "movelot.schema_hooks.with_job_results",
        "movelot.schema_enums.with_enums",
    ],
    "COMPONENT_NO_READ_ONLY_REQUIRED": True,
}

CELERY_BROKER_URL = REDIS
CELERY_TASK_IGNORE_RESULT = True
# Each kind of work has workers of its own (see scripts/stack.py): long lots keep no reading waiting.
CELERY_TASK_ROUTES = {
    "movelot.lots.tasks.run_lot": {"queue": "lots"},
    "movelot.findings.tasks.*": {"queue": "judging"},
    "*": {"queue": "readings"},
}
CELERY_TASK_ACKS_LATE = True
CELERY_WORKER_PREFETCH_MULTIPLIER = 1
CELERY_BROKER_CONNECTION_RETRY_ON_STARTUP = True
# For ever: a worker outlasts any loss of Redis.
CELERY_BROKER_CONNECTION_MAX_RETRIES = None
# A person who asks for something waits no longer than this for Redis; the schedule takes it up later.
CELERY_TASK_PUBLISH_RETRY_POLICY = {"max_retries": 1, "interval_start": 0, "interval_max": 0.2}
CELERY_BROKER_TRANSPORT_OPTIONS = {"socket_connect_timeout": 2}
CELERY_BEAT_SCHEDULER = "django_celery_beat.schedulers:DatabaseScheduler"
CELERY_TIMEZONE = "UTC"
READING_SECONDS = 20
CELERY_BEAT_SCHEDULE = {
    "read devices": {
        "task": "movelot.devices.tasks.read_devices",
        "schedule": READING_SECONDS,
        "options": {"expires": READING_SECONDS},
    },
    "collect telemetry": {
        "task": "movelot.devices.tasks.collect_telemetry",
        "schedule": 120,
        "options": {"expires": 100},
    },
    "keep daily figures": {"task": "movelot.devices.tasks.keep_daily_figures", "schedule": 600},
    "prune history": {"task": "movelot.devices.tasks.prune_history", "schedule": 6 * 3600},
    # What is due is judged as soon as a reading is stored; this is for what a worker that died left, and for what
    # depends on the time of day alone.
    "judge what is due": {
        "task": "movelot.findings.tasks.judge_what_is_due",
        "schedule": 15,
        "options": {"expires": 15},
    },
    "judge everything": {"task": "movelot.findings.tasks.judge_everything", "schedule": 3600},
    "take up jobs": {"task": "movelot.jobs.tasks.take_up_jobs", "schedule": 20, "options": {"expires": 20}},
    "resume lots": {"task": "movelot.lots.tasks.resume_lots", "schedule": 10, "options": {"expires": 10}},
    "take back what lasts no longer": {
        "task": "movelot.lots.tasks.take_back_what_lasts_no_longer",
        "schedule": 30,
        "options": {"expires": 30},
    },
    "do what stages do by the clock": {
        "task": "movelot.stages.tasks.do_chores",
        "schedule": 30,
        "options": {"expires": 30},
    },
    "ask about unknown steps": {
        "task": "movelot.lots.tasks.ask_about_unknown_steps",
        "schedule": 10,
        "options": {"expires": 10},
    },
}
# For how long a running lot asks a device again that stays away, before its step is unknown.
AWAY_PATIENCE_SECONDS = float(os.environ.get("MOVELOT_AWAY_PATIENCE", "30"))
# How often a running lot asks a device about long work.
LOT_POLL_SECONDS = float(os.environ.get("MOVELOT_LOT_POLL", "0.4"))
DEVICE_TIMEOUT_SECONDS = float(os.environ.get("MOVELOT_DEVICE_TIMEOUT", "8"))
# However much a device says, an answer has to have ended by then.
DEVICE_ANSWER_SECONDS = 4 * DEVICE_TIMEOUT_SECONDS
READING_STALE_SECONDS = 120
TELEMETRY_DAYS = int(os.environ.get("MOVELOT_TELEMETRY_DAYS", "30"))
# How long daily figures are kept, from which capacity is told.
FIGURES_KEPT_DAYS = int(os.environ.get("MOVELOT_FIGURES_DAYS", "1100"))
# Where copies of disk images wait until a datastore keeps them, and how large files and disks may be.
IMAGE_FOLDER = os.environ.get("MOVELOT_IMAGES", str(RUN / "images"))
IMAGE_FILE_MOST_BYTES = int(os.environ.get("MOVELOT_IMAGE_FILE_GIB", "64")) * 1024**3
IMAGE_MOST_BYTES = int(os.environ.get("MOVELOT_IMAGE_DISK_GIB", "512")) * 1024**3
# How long what no device lists any more is kept, with its history and labels.
GONE_KEPT_DAYS = int(os.environ.get("MOVELOT_GONE_DAYS", "400"))

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"line": {"format": "{asctime} {levelname} {name}: {message}", "style": "{"}},
    "handlers": {
        "console": {"class": "logging.StreamHandler", "formatter": "line"},
        "instances": {"class": "movelot.balance.kept_instances.KeepInstances"},
    },
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {
        "movelot": {"level": "INFO"},
        "movelot_core.balance": {"handlers": ["instances"]},
        "redfish": {"level": "CRITICAL"},
    },
}
