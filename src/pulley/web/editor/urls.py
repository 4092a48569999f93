"""Addresses of the editor."""

from django.urls import path

from pulley.web.editor.views import holding, page, pictures, proposal, selection, step, teardowns, visibility

urlpatterns = [
    path("assemblies/<uuid:assembly_id>/teardowns/new", teardowns.new, name="new-teardown"),
    path("assemblies/<uuid:assembly_id>/teardowns/read", teardowns.read, name="read-teardown"),
    path("teardowns/<uuid:teardown_id>/", page.editor, name="editor"),
    path("teardowns/<uuid:teardown_id>/state", page.state, name="editor-state"),
    path("teardowns/<uuid:teardown_id>/verdict", page.verdict, name="editor-verdict"),
    path("teardowns/<uuid:teardown_id>/edit/<slug:verb>", page.edit, name="edit"),
    path("teardowns/<uuid:teardown_id>/undo", page.history, {"by": -1}, name="undo"),
    path("teardowns/<uuid:teardown_id>/redo", page.history, {"by": 1}, name="redo"),
    path("teardowns/<uuid:teardown_id>/return/<int:number>", page.return_to, name="return-to"),
    path("teardowns/<uuid:teardown_id>/history", page.history_list, name="history-list"),
    path("teardowns/<uuid:teardown_id>/table", page.table, name="table"),
    path("teardowns/<uuid:teardown_id>/beside/<uuid:other_id>", page.compare, name="compare"),
    path("teardowns/<uuid:teardown_id>/duplicate", teardowns.duplicate, name="duplicate-teardown"),
    path("teardowns/<uuid:teardown_id>/delete", teardowns.delete, name="delete-teardown"),
    path("teardowns/<uuid:teardown_id>/bring-back", teardowns.bring_back, name="bring-back-teardown"),
    path("teardowns/<uuid:teardown_id>/seen", visibility.seen, name="seen"),
    path("teardowns/<uuid:teardown_id>/sights", visibility.sights, name="sights"),
    path("teardowns/<uuid:teardown_id>/holding", holding.holding, name="holding"),
    path("teardowns/<uuid:teardown_id>/better", visibility.better, name="better"),
    path("teardowns/<uuid:teardown_id>/propose", proposal.propose_steps, name="propose"),
    path("teardowns/<uuid:teardown_id>/propose/ready", proposal.ready, name="ready"),
    path("teardowns/<uuid:teardown_id>/propose/offers", proposal.offers, name="offers"),
    path("teardowns/<uuid:teardown_id>/ways-out", selection.ways, name="ways-out"),
    path("teardowns/<uuid:teardown_id>/point", selection.point, name="point"),
    path("teardowns/<uuid:teardown_id>/measure", selection.measured_between, name="measure"),
    path("teardowns/<uuid:teardown_id>/choose/<slug:what>", selection.choose, name="choose"),
    path("teardowns/<uuid:teardown_id>/steps/<str:step>/legs", step.legs, name="legs"),
    path("teardowns/<uuid:teardown_id>/steps/<str:step>/matches", step.matches, name="matches"),
    path("teardowns/<uuid:teardown_id>/steps/<str:step>/remedies", step.remedies, name="remedies"),
    path("teardowns/<uuid:teardown_id>/steps/<int:number>/picture.png", pictures.step_picture, name="step-picture"),
    path("teardowns/<uuid:teardown_id>/views/<str:camera>/picture.png", pictures.view_picture, name="view-picture"),
    path("teardowns/<uuid:teardown_id>/download", teardowns.download, name="download-teardown"),
]
