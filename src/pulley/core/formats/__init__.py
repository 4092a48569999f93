"""One module a format, each reading or writing an open format; `store` keeps geometry by content."""
