"""What the web server loads."""

import os
import threading

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "pulley.web.settings")

from django.core.wsgi import get_wsgi_application  # noqa: E402

application = get_wsgi_application()


def _warm() -> None:
    """Load the compiled kernels, so that the first selection does not wait for them."""
    from pulley.core.warm import warm

    warm()


threading.Thread(target=_warm, daemon=True).start()
