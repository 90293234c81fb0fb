from django.apps import AppConfig


class PlacesConfig(AppConfig):
    name = "places"
    default_auto_field = "django.db.models.BigAutoField"
