"""The interface itself: one page, its built files beside it."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.views.decorators.csrf import ensure_csrf_cookie


@ensure_csrf_cookie
def front(request: HttpRequest) -> HttpResponse:
    page = settings.WEB_DIST / "index.html"
    if not page.exists():
        return HttpResponse("The interface is not built yet: run `make demo`.", status=503, content_type="text/plain")
    html = page.read_text().replace("</head>", f'<meta name="style-nonce" content="{_nonce(request)}" /></head>', 1)
    response = HttpResponse(html, content_type="text/html; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response


def _nonce(request: HttpRequest) -> str:
    """What styles that the interface makes must carry (see the content security policy)."""
    return str(getattr(request, "csp_nonce", ""))
