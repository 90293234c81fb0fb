from django.urls import path

from . import api

urlpatterns = [
    path("sites/<int:site_id>/nodes/", api.nodes),
    path("nodes/<int:node_id>/token/", api.node_token),
    path("gateway/config/", api.gateway_config),
    path("gateway/contact/", api.gateway_contact),
]
