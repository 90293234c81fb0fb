from django.urls import path

from . import api

urlpatterns = [
    path("sites/<int:site_id>/layout/", api.layout),
    path("sites/<int:site_id>/", api.site_save),
    path("sites/<int:site_id>/houses/", api.house_add),
    path("houses/<int:house_id>/", api.house_save),
    path("houses/<int:house_id>/beds/", api.bed_add),
    path("houses/<int:house_id>/beds/propose/", api.bed_propose),
    path("beds/<int:bed_id>/", api.bed_save),
]
