"""The web process: news are streamed by the event loop, all else is answered in threads."""

from __future__ import annotations

import os
from typing import Any

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "tectogon_server.settings")
_streamed = get_asgi_application()

from django.conf import settings  # noqa: E402  (models are there only now)

from tectogon_server.api.intake import Intake  # noqa: E402
from tectogon_server.operating.observed import EVENTS, Observed  # noqa: E402
from tectogon_server.operating.threads import Threaded  # noqa: E402

answered = Threaded(settings.WEB_THREADS)


async def _django(scope: dict[str, Any], receive: Any, send: Any) -> None:
    await (_streamed if scope.get("path") == EVENTS else answered)(scope, receive, send)


application = Observed(Intake(_django))  # type: ignore[arg-type]
