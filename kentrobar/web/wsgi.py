"""The application gunicorn serves."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kentrobar.web.settings")
application = get_wsgi_application()

from kentrobar.workshop.paper import get_ready  # noqa: E402, apps are loaded only now

get_ready()
