"""All addresses: the API under /api, the admin for support, and the front end for everything else."""

from django.contrib import admin
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.urls import include, path, re_path
from django.views.decorators.csrf import csrf_exempt, ensure_csrf_cookie
from drf_spectacular.views import SpectacularAPIView
from rest_framework.routers import SimpleRouter

from movelot.accounts.views import SessionView
from movelot.attach.file_views import FileDraftView, FileLimitsView
from movelot.attach.grant_views import GrantListView, GrantView
from movelot.attach.interface_views import InterfaceDraftView
from movelot.attach.loss_views import ComponentsView, LossCsvView, LossView
from movelot.attach.path_views import DeviceSettingsView, PathsView
from movelot.attach.set_views import SetDraftView
from movelot.attach.use_views import UseDraftView
from movelot.attach.views import AttachDraftView, DetachDraftView
from movelot.balance.views import BalanceDraftView, GroupListView, GroupPlanView, GroupView
from movelot.devices.views import DeviceListView, DeviceView, ProbeView, RereadView
from movelot.exchange.package_views import MetricsView, PackageView
from movelot.exchange.views import ImportView
from movelot.inventory.label_views import LabelsView
from movelot.inventory.views import DiskList, FindView, TraceView
from movelot.lots.views import LotViews
from movelot.problems import body
from movelot.rounds.views import RoundsView, StatusView

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
    path("session/", SessionView.as_view()),
    path("status/", StatusView.as_view()),
    path("rounds/", RoundsView.as_view()),
    path("devices/", DeviceListView.as_view()),
    path("devices/probe/", ProbeView.as_view()),
    path("devices/reread/", RereadView.as_view()),
    path("devices/<int:pk>/", DeviceView.as_view()),
    path("exchange/import/", ImportView.as_view()),
    path("exchange/package/", PackageView.as_view()),
    path("exchange/metrics/", MetricsView.as_view()),
    path("disks/", DiskList.as_view()),
    path("trace/<str:kind>/<int:pk>/", TraceView.as_view()),
    path("find/", FindView.as_view()),
    path("labels/<str:kind>/<int:pk>/", LabelsView.as_view()),
    path("attach/drafts/<int:pk>/", AttachDraftView.as_view()),
    path("attach/detach/<int:pk>/", DetachDraftView.as_view()),
    path("attach/file-drafts/<int:pk>/", FileDraftView.as_view()),
    path("attach/use-drafts/<int:pk>/", UseDraftView.as_view()),
    path("attach/interface-drafts/<int:pk>/", InterfaceDraftView.as_view()),
    path("attach/set-drafts/<int:pk>/", SetDraftView.as_view()),
    path("attach/file-limits/", FileLimitsView.as_view()),
    path("attach/grants/", GrantListView.as_view()),
    path("attach/grants/<int:pk>/", GrantView.as_view()),
    path("attach/paths/", PathsView.as_view()),
    path("attach/device-settings/", DeviceSettingsView.as_view()),
    path("attach/components/", ComponentsView.as_view()),
    path("attach/loss/", LossView.as_view()),
    path("attach/loss/csv/", LossCsvView.as_view()),
    path("balance/groups/", GroupListView.as_view()),
    path("balance/groups/<str:name>/", GroupView.as_view()),
    path("balance/groups/<str:name>/plan/", GroupPlanView.as_view()),
    path("balance/drafts/<int:pk>/", BalanceDraftView.as_view()),
    *router.urls,
    re_path(r".*", no_such_call),
]
urlpatterns = [path("api/", include(api)), path("admin/", admin.site.urls), re_path(r"^(?!static/).*$", front_end)]
