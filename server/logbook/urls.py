from django.urls import path

from . import api

urlpatterns = [
    path("sites/<int:site_id>/notes/", api.notes_list),
    path("sites/<int:site_id>/notes/new/", api.notes_write),
    path("sites/<int:site_id>/audit/", api.audit),
]
