from django.urls import path

from . import api

urlpatterns = [
    path("session/", api.me),
    path("session/sign-in/", api.sign_in),
    path("session/sign-out/", api.sign_out),
]
