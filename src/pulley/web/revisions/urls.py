"""Addresses of revisions."""

from django.urls import path

from pulley.web.revisions import views

urlpatterns = [
    path("assemblies/<uuid:assembly_id>/revise", views.revise, name="revise"),
    path("assemblies/<uuid:assembly_id>/add-missing", views.add_missing, name="add-missing"),
    path("assemblies/<uuid:assembly_id>/changes", views.changes, name="changes"),
    path("assemblies/<uuid:assembly_id>/settle/<int:number>", views.settle, name="settle"),
    path("assemblies/<uuid:assembly_id>/move-links", views.move_links, name="move-links"),
    path("assemblies/<uuid:assembly_id>/make-current", views.make_current, name="make-current"),
    path("revise/<uuid:job_id>/answer", views.answer, name="answer-revision"),
]
