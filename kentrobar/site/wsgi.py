"""The application gunicorn serves."""

import gc
import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kentrobar.site.settings")
application = get_wsgi_application()

# What is loaded by now stays: looking through it for rubbish again and again made one page in
# twenty slow.
gc.collect()
gc.freeze()
gc.set_threshold(20_000, 20, 50)
