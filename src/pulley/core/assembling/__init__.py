"""An assembly put together from loose parts: what hangs on what, and where; kept apart from any teardown."""
