"""Addresses of the library."""

from django.urls import path

from pulley.web.library import views

urlpatterns = [
    path("", views.index, name="library"),
    path("bring-in", views.bring_in, name="bring-in"),
    path("bring-in/<uuid:job_id>/answer", views.answer, name="answer"),
    path("bring-in/<uuid:job_id>/<slug:up>.png", views.question_picture, name="question-picture"),
    path("assemblies/<uuid:assembly_id>/read", views.read_differently, name="read-differently"),
    path("assemblies/<uuid:assembly_id>/delete", views.delete, name="delete-assembly"),
    path("assemblies/<uuid:assembly_id>/bring-back", views.bring_back, name="bring-back-assembly"),
    path("assemblies/<uuid:assembly_id>/delete-for-good", views.delete_for_good, name="delete-assembly-for-good"),
    path("assemblies/<uuid:assembly_id>/model.glb", views.model, name="assembly-model"),
    path("assemblies/<uuid:assembly_id>/picture.png", views.picture, name="assembly-picture"),
    path("assemblies/<uuid:assembly_id>/source", views.download, name="assembly-source"),
]
