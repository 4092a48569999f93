"""Every address of the application; each app has its own list."""

from django.contrib import admin
from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse
from django.urls import include, path


@login_not_required
def alive(_request: HttpRequest) -> HttpResponse:
    """For the launcher: the web server answers."""
    return HttpResponse("alive", content_type="text/plain")


admin.site.site_header = admin.site.site_title = "Pulley, for who looks after it"
urlpatterns = [
    path("admin/", admin.site.urls),
    path("alive", alive),
    path("", include("pulley.web.library.urls")),
    path("", include("pulley.web.editor.urls")),
    path("", include("pulley.web.sheets.urls")),
    path("", include("pulley.web.revisions.urls")),
    path("", include("pulley.web.assembling.urls")),
    path("", include("pulley.web.publishing.urls")),
    path("jobs/", include("pulley.web.jobs.urls")),
    path("accounts/", include("pulley.web.accounts.urls")),
]
handler400 = "pulley.web.errors.unreadable"
handler403 = "pulley.web.errors.refused"
handler404 = "pulley.web.errors.missing"
handler500 = "pulley.web.errors.broken"
