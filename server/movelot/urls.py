"""All addresses: the API under /api, the admin for support, and the front end for everything else."""

from django.urls import path

from movelot.accounts.views import SessionView

urlpatterns = [path("api/session/", SessionView.as_view())]
