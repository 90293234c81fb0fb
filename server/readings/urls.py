from django.urls import path

from . import api

urlpatterns = [
    path("readings/", api.readings_batch),
    path("sites/<int:site_id>/readings/upload/", api.readings_upload),
    path("jobs/<int:job_id>/cancel/", api.job_cancel),
]
