from django.urls import path

from . import api, api_batch, api_trust

urlpatterns = [
    path("sites/<int:site_id>/probes/", api.probes),
    path("sites/<int:site_id>/calibrate/", api.to_calibrate),
    path("channels/<int:channel_id>/bench/", api.bench),
    path("channels/<int:channel_id>/bench/settings/", api.bench_settings),
    path("channels/<int:channel_id>/captures/", api.capture),
    path("channels/<int:channel_id>/calibrations/", api.publish),
    path("channels/<int:channel_id>/compare/", api_trust.compare),
    path("channels/<int:channel_id>/scale/", api_trust.scale),
    path("channels/<int:channel_id>/record/", api_trust.record),
    path("channels/<int:channel_id>/trust/", api_trust.trust),
    path("channels/<int:channel_id>/trust/set/", api_trust.trust_set),
    path("channels/<int:channel_id>/judge/", api_trust.judge),
    path("channels/<int:channel_id>/flag-limits/", api_trust.flag_limits),
    path("dosers/<int:actuator_id>/bench/", api.doser_bench),
    path("dosers/<int:actuator_id>/captures/", api.doser_capture),
    path("dosers/<int:actuator_id>/calibrations/", api.doser_publish),
    path("captures/<int:capture_id>/drop/", api.capture_drop),
    path("calibrations/<int:version_id>/revert/", api_trust.version_revert),
    path("calibrations/<int:version_id>/certificate/", api_trust.certificate),
    path("probes/<int:probe_id>/pore/", api_trust.pore_set),
    path("sites/<int:site_id>/retention/", api_trust.retention),
    path("sites/<int:site_id>/check/", api_trust.check_now),
    path("sites/<int:site_id>/trials/", api_trust.trial),
    path("sites/<int:site_id>/trials/adopt/", api_trust.trial_adopt),
    path("sites/<int:site_id>/batch/", api_batch.batch),
    path("sites/<int:site_id>/batch/captures/", api_batch.batch_capture),
    path("sites/<int:site_id>/batch/publish/", api_batch.batch_publish),
]
