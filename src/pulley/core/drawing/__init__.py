"""Drawing sheets: hidden lines, views, lay-out, balloons, parts lists; one drawing model and its writers."""
