"""Addresses of links and of what they lead to."""

from django.urls import path

from pulley.web.publishing import views

urlpatterns = [
    path("teardowns/<uuid:teardown_id>/links", views.links, name="links"),
    path("teardowns/<uuid:teardown_id>/share", views.share, name="share"),
    path("teardowns/<uuid:teardown_id>/links/<str:token>/revoke", views.revoke, name="revoke-link"),
    path("watch/<str:token>/", views.watch, name="watch"),
    path("watch/<str:token>/model.glb", views.model, name="watched-model"),
]
