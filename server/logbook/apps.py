from django.apps import AppConfig


class LogbookConfig(AppConfig):
    name = "logbook"
    default_auto_field = "django.db.models.BigAutoField"
