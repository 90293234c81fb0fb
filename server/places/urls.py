from django.urls import path

from . import api, api_plumbing, api_tests

urlpatterns = [
    path("sites/<int:site_id>/layout/", api.layout),
    path("sites/<int:site_id>/", api.site_save),
    path("sites/<int:site_id>/houses/", api.house_add),
    path("houses/<int:house_id>/", api.house_save),
    path("houses/<int:house_id>/beds/", api.bed_add),
    path("houses/<int:house_id>/beds/propose/", api.bed_propose),
    path("houses/<int:house_id>/beds/many/", api.beds_add),
    path("houses/<int:house_id>/order/", api.beds_order),
    path("beds/<int:bed_id>/", api.bed_save),
    path("beds/<int:bed_id>/retire/", api.bed_retire),
    path("beds/<int:bed_id>/cups/judge/", api_tests.cups_judge),
    path("beds/<int:bed_id>/cups/", api_tests.cups_past),
    path("beds/<int:bed_id>/cups/record/", api_tests.cups_record),
    path("sites/<int:site_id>/plumbing/", api_plumbing.plumbing),
    path("sites/<int:site_id>/water-sources/", api_plumbing.source_add),
    path("water-sources/<int:source_id>/", api_plumbing.source_save),
    path("sites/<int:site_id>/tanks/", api_plumbing.tank_add),
    path("tanks/<int:tank_id>/", api_plumbing.tank_save),
    path("sites/<int:site_id>/pumps/", api_plumbing.pump_add),
    path("pumps/<int:pump_id>/", api_plumbing.pump_save),
    path("sites/<int:site_id>/media/", api_plumbing.media_list),
    path("sites/<int:site_id>/media/new/", api_plumbing.medium_add),
    path("media/<int:medium_id>/", api_plumbing.medium_save),
    path("sites/<int:site_id>/media/profile/", api_plumbing.medium_profile),
    path("sites/<int:site_id>/payback/", api_tests.payback_get),
    path("sites/<int:site_id>/payback/try/", api_tests.payback_try),
    path("sites/<int:site_id>/payback/save/", api_tests.payback_save),
    path("zone/", api_tests.zone_propose),
]
