"""Addresses of the publish page, of files, of links and of what they lead to."""

from django.urls import path

from pulley.web.publishing import views, watching

urlpatterns = [
    path("teardowns/<uuid:teardown_id>/publish", views.publish, name="publish"),
    path("teardowns/<uuid:teardown_id>/publish/all", views.publish_all, name="publish-all"),
    path("teardowns/<uuid:teardown_id>/publish/count", views.count, name="publish-count"),
    path("teardowns/<uuid:teardown_id>/publish/add", views.add, name="add-file"),
    path("published/<uuid:publication_id>/state", views.state, name="published-state"),
    path("published/<uuid:publication_id>/make", views.make, name="make-file"),
    path("published/<uuid:publication_id>/stop", views.stop, name="stop-file"),
    path("published/<uuid:publication_id>/keep", views.keep, name="keep-file"),
    path("published/<uuid:publication_id>/settings", views.settings, name="file-settings"),
    path("published/<uuid:publication_id>/first", views.first, name="first-frame"),
    path("published/<uuid:publication_id>/remove", views.remove, name="remove-file"),
    path("published/<uuid:publication_id>/file", views.file, name="published-file"),
    path("teardowns/<uuid:teardown_id>/links", watching.links, name="links"),
    path("teardowns/<uuid:teardown_id>/share", watching.share, name="share"),
    path("teardowns/<uuid:teardown_id>/links/<str:token>/revoke", watching.revoke, name="revoke-link"),
    path("teardowns/<uuid:teardown_id>/links/<str:token>/limit", watching.limit, name="limit-link"),
    path("watch/<str:token>/", watching.watch, name="watch"),
    path("watch/<str:token>/model.glb", watching.model, name="watched-model"),
    path("watch/<str:token>/files/<uuid:publication_id>", watching.download, name="watched-file"),
]
