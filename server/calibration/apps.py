from django.apps import AppConfig


class CalibrationConfig(AppConfig):
    name = "calibration"
    default_auto_field = "django.db.models.BigAutoField"
