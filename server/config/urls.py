"""Every route: one list per app, the live stream, the API document, and the page itself."""

from django.urls import include, path, re_path
from drf_spectacular.views import SpectacularJSONAPIView

from common.live import live
from common.page import page

urlpatterns = [
    path("api/", include("accounts.urls")),
    path("api/", include("places.urls")),
    path("api/", include("fitting.urls")),
    path("api/", include("readings.urls")),
    path("api/", include("calibration.urls")),
    path("api/", include("watering.urls")),
    path("api/", include("logbook.urls")),
    path("api/", include("demo.urls")),
    path("api/", include("common.urls")),
    path("api/sites/<int:site_id>/live/", live, name="live"),
    path(
        "api/schema/", SpectacularJSONAPIView.as_view(authentication_classes=[], permission_classes=[]), name="schema"
    ),
    re_path(r"^(?!api/|assets/|built/).*$", page, name="page"),
]
