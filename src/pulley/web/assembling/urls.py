"""Addresses of assembling."""

from django.urls import path

from pulley.web.assembling import views

urlpatterns = [
    path("assemblies/<uuid:assembly_id>/put-together", views.begin, name="put-together"),
    path("put-together/<uuid:arrangement_id>/", views.room, name="arrangement"),
    path("put-together/<uuid:arrangement_id>/state", views.state, name="arrangement-state"),
    path("put-together/<uuid:arrangement_id>/piece", views.piece, name="arrangement-piece"),
    path("put-together/<uuid:arrangement_id>/model.glb", views.model, name="arrangement-model"),
    path("put-together/<uuid:arrangement_id>/point", views.point, name="arrangement-point"),
    path("put-together/<uuid:arrangement_id>/edit/<slug:verb>", views.edit, name="edit-arrangement"),
    path("put-together/<uuid:arrangement_id>/undo", views.step, {"by": -1}, name="undo-arrangement"),
    path("put-together/<uuid:arrangement_id>/redo", views.step, {"by": 1}, name="redo-arrangement"),
    path("put-together/<uuid:arrangement_id>/add", views.add, name="add-parts"),
    path("put-together/<uuid:arrangement_id>/take-over", views.take_over, name="take-over"),
]
