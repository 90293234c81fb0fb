from django.urls import path

from . import api

urlpatterns = [path("readings/", api.readings_batch)]
