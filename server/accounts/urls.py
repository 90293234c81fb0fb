from django.urls import path

from . import api

urlpatterns = [
    path("session/", api.me),
    path("session/units/", api.units_choose),
    path("session/sign-in/", api.sign_in),
    path("session/sign-out/", api.sign_out),
    path("sites/<int:site_id>/people/", api.people),
    path("sites/<int:site_id>/invitations/", api.invite_person),
    path("welcome/<str:token>/", api.welcome),
    path("welcome/<str:token>/accept/", api.welcome_accept),
]
