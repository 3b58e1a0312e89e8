"""The web process."""

from __future__ import annotations

import os

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "tectogon_server.settings")
_django = get_asgi_application()

from tectogon_server.api.intake import Intake  # noqa: E402  (models are there only now)
from tectogon_server.operating.observed import Observed  # noqa: E402

application = Observed(Intake(_django))  # type: ignore[arg-type]
