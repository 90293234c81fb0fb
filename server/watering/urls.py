from django.urls import path

from . import api

urlpatterns = [
    path("sites/<int:site_id>/watch/", api.watch),
    path("sites/<int:site_id>/watch/lines/", api.watch_lines),
    path("sites/<int:site_id>/slip/", api.slip),
    path("beds/<int:bed_id>/ribbon/", api.ribbon),
    path("beds/<int:bed_id>/days/", api.days),
    path("beds/<int:bed_id>/programme/", api.programme),
    path("beds/<int:bed_id>/programme/simulate/", api.simulate_programme),
    path("beds/<int:bed_id>/programme/publish/", api.programme_publish),
    path("beds/<int:bed_id>/clear-fault/", api.bed_clear_fault),
    path("beds/<int:bed_id>/stop/", api.bed_stop),
    path("houses/<int:house_id>/stop/", api.house_stop),
    path("houses/<int:house_id>/resume/", api.house_resume),
    path("beds/<int:bed_id>/resume/", api.bed_resume),
    path("beds/<int:bed_id>/dose/", api.bed_dose),
    path("gateway/commands/", api.gateway_commands),
    path("gateway/commands/<int:number>/report/", api.gateway_report),
]
