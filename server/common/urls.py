from django.urls import path

from . import api

urlpatterns = [
    path("arithmetic/", api.arithmetic),
    path("jobs/<int:job_id>/", api.job),
]
