"""Where everything is found, in the order of the work."""

from django.contrib.auth.decorators import login_not_required
from django.urls import include, path

from evarlo.api.service import addresses
from evarlo.compare.pair_views import claims_found
from evarlo.exchange.device_views import devices_page
from evarlo.exchange.health_views import health, ready
from evarlo.partners import own_views as partner_views
from evarlo.tasting import own_views
from evarlo.walks.field_views import manifest, worker

urlpatterns = [
    path("", include("evarlo.today.urls")),
    path("health/", health),
    path("ready/", ready),
    path("people/", include("evarlo.people.urls")),
    path("worker.js", login_not_required(worker)),
    path("manifest.webmanifest", login_not_required(manifest)),
    path("cultivars/", include("evarlo.catalogue.urls")),
    path("cultivars/<int:pk>/claims-found/", claims_found, name="claims-found"),
    path("cultivars/", include("evarlo.verdicts.dossier_urls")),
    path("ground/", include("evarlo.grounds.urls")),
    path("seed/", include("evarlo.seeds.urls")),
    path("raising/", include("evarlo.nursery.room_urls")),
    path("devices/", devices_page, name="devices"),
    path("api/v1/", addresses()),
    path("api/", include("evarlo.api.urls")),
    path("bring-in/", include("evarlo.exchange.urls")),
    path("", include("evarlo.rehearsal.urls")),
    path("", include("evarlo.practice.urls")),
    path("partner/", partner_views.by_code, name="partner-code"),
    path("partner/<str:code>/", partner_views.own_page, name="partner"),
    path("partner/<str:code>/keep/", partner_views.own_keep, name="partner-keep"),
    path("taste/", own_views.by_code, name="own-ballot-code"),
    path("taste/<str:code>/", own_views.own_ballot, name="own-ballot"),
    path("taste/<str:code>/score/", own_views.own_score, name="own-score"),
    path("crosses/", include("evarlo.breeding.urls")),
    path("programmes/", include("evarlo.programmes.urls")),
    path("trials/", include("evarlo.trials.urls")),
    path("trials/<slug:slug>/", include("evarlo.nursery.urls")),
    path("trials/<slug:slug>/", include("evarlo.walks.urls")),
    path("trials/<slug:slug>/", include("evarlo.events.urls")),
    path("trials/<slug:slug>/", include("evarlo.pests.urls")),
    path("trials/<slug:slug>/", include("evarlo.identity.urls")),
    path("trials/<slug:slug>/", include("evarlo.harvest.urls")),
    path("trials/<slug:slug>/", include("evarlo.tasting.urls")),
    path("trials/<slug:slug>/", include("evarlo.effort.urls")),
    path("trials/<slug:slug>/", include("evarlo.compare.urls")),
    path("trials/<slug:slug>/", include("evarlo.verdicts.urls")),
    path("trials/<slug:slug>/", include("evarlo.partners.urls")),
]

handler400 = "evarlo.ui.views.bad_request"
handler403 = "evarlo.ui.views.forbidden"
handler404 = "evarlo.ui.views.not_found"
handler500 = "evarlo.ui.views.server_error"
