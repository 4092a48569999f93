"""Drawing sheets: kept with their history, changed, drawn, and handed out as files."""
