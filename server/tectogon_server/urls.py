"""Addresses: the API, the event stream, and the interface for everything else."""

from __future__ import annotations

from django.urls import path, re_path

from tectogon_server.api.events import events
from tectogon_server.api.front import front
from tectogon_server.api.main import api
from tectogon_server.operating.health import metrics, ready

urlpatterns = [
    path("api/events", events),
    path("api/ready", ready),
    path("metrics", metrics),
    path("api/", api.urls),
    re_path(r"^(?!api/|static/|assets/|metrics$).*$", front),
]
