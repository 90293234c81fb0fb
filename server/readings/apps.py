from django.apps import AppConfig


class ReadingsConfig(AppConfig):
    name = "readings"
    default_auto_field = "django.db.models.BigAutoField"
