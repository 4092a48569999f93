"""Addresses of sheets."""

from django.urls import path

from pulley.web.sheets import views

urlpatterns = [
    path("teardowns/<uuid:teardown_id>/sheets", views.menu, name="sheets"),
    path("teardowns/<uuid:teardown_id>/sheets/new", views.new, name="new-sheet"),
    path("sheets/<uuid:sheet_id>/", views.sheet, name="sheet"),
    path("sheets/<uuid:sheet_id>/state", views.state, name="sheet-state"),
    path("sheets/<uuid:sheet_id>/strip", views.strip, name="sheet-strip"),
    path("sheets/<uuid:sheet_id>/edit/<slug:verb>", views.edit, name="edit-sheet"),
    path("sheets/<uuid:sheet_id>/undo", views.history, {"by": -1}, name="undo-sheet"),
    path("sheets/<uuid:sheet_id>/redo", views.history, {"by": 1}, name="redo-sheet"),
    path("sheets/<uuid:sheet_id>/return/<int:number>", views.return_to, name="return-sheet-to"),
    path("sheets/<uuid:sheet_id>/history", views.history_list, name="sheet-history"),
    path("sheets/<uuid:sheet_id>/stop", views.stop, name="stop-lines"),
    path("sheets/<uuid:sheet_id>/pattern", views.keep_pattern, name="keep-pattern"),
    path("sheets/<uuid:sheet_id>/pattern.json", views.pattern_file, name="pattern-file"),
    path("sheets/<uuid:sheet_id>/read-pattern", views.take_pattern, name="read-pattern"),
    path("sheets/<uuid:sheet_id>/small.svg", views.small, name="sheet-small"),
    path("sheets/<uuid:sheet_id>/sheet.<slug:kind>", views.file, name="sheet-file"),
    path("sheets/<uuid:sheet_id>/duplicate", views.duplicate, name="duplicate-sheet"),
    path("sheets/<uuid:sheet_id>/delete", views.delete, name="delete-sheet"),
    path("sheets/<uuid:sheet_id>/bring-back", views.bring_back, name="bring-back-sheet"),
]
