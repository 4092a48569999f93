"""Addresses of the editor."""

from django.urls import path

from pulley.web.editor import proposing, selection, views, watching

urlpatterns = [
    path("assemblies/<uuid:assembly_id>/teardowns/new", views.new, name="new-teardown"),
    path("assemblies/<uuid:assembly_id>/teardowns/read", views.read, name="read-teardown"),
    path("teardowns/<uuid:teardown_id>/", views.editor, name="editor"),
    path("teardowns/<uuid:teardown_id>/state", views.state, name="editor-state"),
    path("teardowns/<uuid:teardown_id>/verdict", views.verdict, name="editor-verdict"),
    path("teardowns/<uuid:teardown_id>/edit/<slug:verb>", views.edit, name="edit"),
    path("teardowns/<uuid:teardown_id>/undo", views.history, {"by": -1}, name="undo"),
    path("teardowns/<uuid:teardown_id>/redo", views.history, {"by": 1}, name="redo"),
    path("teardowns/<uuid:teardown_id>/return/<int:number>", views.return_to, name="return-to"),
    path("teardowns/<uuid:teardown_id>/history", views.history_list, name="history-list"),
    path("teardowns/<uuid:teardown_id>/table", views.table, name="table"),
    path("teardowns/<uuid:teardown_id>/beside/<uuid:other_id>", views.compare, name="compare"),
    path("teardowns/<uuid:teardown_id>/duplicate", views.duplicate, name="duplicate-teardown"),
    path("teardowns/<uuid:teardown_id>/delete", views.delete, name="delete-teardown"),
    path("teardowns/<uuid:teardown_id>/bring-back", views.bring_back, name="bring-back-teardown"),
    path("teardowns/<uuid:teardown_id>/seen", watching.seen, name="seen"),
    path("teardowns/<uuid:teardown_id>/sights", watching.sights, name="sights"),
    path("teardowns/<uuid:teardown_id>/better", watching.better, name="better"),
    path("teardowns/<uuid:teardown_id>/propose", proposing.propose_steps, name="propose"),
    path("teardowns/<uuid:teardown_id>/ways-out", selection.ways, name="ways-out"),
    path("teardowns/<uuid:teardown_id>/point", selection.point, name="point"),
    path("teardowns/<uuid:teardown_id>/choose/<slug:what>", selection.choose, name="choose"),
    path("teardowns/<uuid:teardown_id>/steps/<str:step>/legs", selection.legs, name="legs"),
    path("teardowns/<uuid:teardown_id>/steps/<str:step>/matches", selection.matches, name="matches"),
    path("teardowns/<uuid:teardown_id>/steps/<str:step>/remedies", selection.remedies, name="remedies"),
    path("teardowns/<uuid:teardown_id>/steps/<int:number>/picture.png", views.step_picture, name="step-picture"),
    path("teardowns/<uuid:teardown_id>/views/<str:camera>/picture.png", views.view_picture, name="view-picture"),
    path("teardowns/<uuid:teardown_id>/download", views.download, name="download-teardown"),
]
