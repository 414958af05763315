"""All addresses: the API under /api, what a watch asks, and the front end for everything else."""

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.urls import include, path, re_path
from django.views.decorators.csrf import csrf_exempt, ensure_csrf_cookie
from drf_spectacular.views import SpectacularAPIView
from rest_framework.routers import SimpleRouter

from movelot.accounts.addresses import ADDRESSES
from movelot.audit.views import EntryList, ExportView, ProofView
from movelot.devices.network_views import NetworksView, NetworkView
from movelot.devices.views import AccountView, DeviceListView, DeviceView, ProbeView, RereadView
from movelot.health import healthz, readyz
from movelot.inventory.curve_views import PoolCurveView
from movelot.inventory.label_views import LabelsView
from movelot.inventory.retention_views import RetentionView
from movelot.inventory.views import DiskList
from movelot.jobs.views import JobFileView, JobView
from movelot.lots.views import LotViews
from movelot.problems import body
from movelot.stages.base import routes as stage_routes

router = SimpleRouter()
router.register("lots", LotViews, basename="lot")


@ensure_csrf_cookie
def front_end(request: HttpRequest) -> HttpResponse:
    """The page that carries the front end; it shows its own page for an unknown address."""
    return render(request, "index.html")


@csrf_exempt
def no_such_call(request: HttpRequest) -> JsonResponse:
    """Whatever the method: it changes nothing, so it needs no token to be refused."""
    document = body(404, "not_found", "There is no such call.", hint="The API is described at /api/schema/.")
    return JsonResponse(document, status=404, content_type="application/problem+json")


api = [
    path("schema/", SpectacularAPIView.as_view(), name="schema"),
    *ADDRESSES,
    path("devices/", DeviceListView.as_view()),
    path("devices/probe/", ProbeView.as_view()),
    path("devices/reread/", RereadView.as_view()),
    path("devices/<int:pk>/", DeviceView.as_view()),
    path("devices/<int:pk>/account/", AccountView.as_view()),
    path("networks/", NetworksView.as_view()),
    path("networks/<int:pk>/", NetworkView.as_view()),
    path("retention/", RetentionView.as_view()),
    path("jobs/<int:pk>/", JobView.as_view()),
    path("jobs/<int:pk>/file/", JobFileView.as_view()),
    path("audit/", EntryList.as_view()),
    path("audit/proof/", ProofView.as_view()),
    path("audit/export/", ExportView.as_view()),
    path("disks/", DiskList.as_view()),
    path("pools/<int:pk>/curve/", PoolCurveView.as_view()),
    path("labels/<str:kind>/<int:pk>/", LabelsView.as_view()),
    *stage_routes(),
    *router.urls,
    re_path(r".*", no_such_call),
]
urlpatterns = [
    path("healthz", healthz),
    path("readyz", readyz),
    path("api/", include(api)),
    re_path(r"^(?!static/).*$", front_end),
]
handler500 = "movelot.problems.server_error"
