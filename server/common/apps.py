from django.apps import AppConfig


class CommonConfig(AppConfig):
    name = "common"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from .lookups import register  # after the models' fields are there

        register()
