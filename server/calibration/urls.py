from django.urls import path

from . import api

urlpatterns = [
    path("sites/<int:site_id>/probes/", api.probes),
    path("probes/<int:probe_id>/bench/", api.bench),
    path("probes/<int:probe_id>/captures/", api.captures),
    path("probes/<int:probe_id>/calibrations/", api.calibrations),
]
