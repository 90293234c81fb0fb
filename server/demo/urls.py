from django.urls import path

from . import api

urlpatterns = [
    path("sites/<int:site_id>/demo/clock/", api.demo_clock),
    path("demo/probes/<int:probe_id>/", api.demo_probe),
    path("demo/probes/<int:probe_id>/place/", api.demo_probe_place),
    path("demo/world/", api.demo_world),
]
